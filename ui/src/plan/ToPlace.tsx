import { type KeyboardEvent, useState } from "react";
import { Link as RouterLink } from "react-router";
import { dueWindow, weekDay } from "../words/figures";
import { workNames } from "../words/names";
import type { Board, PlanJob } from "./carry";
import { Bracket } from "./Grid";

/** What has no place yet, the most urgent first: the work list, and what came back to it. */
export function ToPlace(p: {
  board: Board;
  needs: ReadonlyMap<number, string>;
  selected: PlanJob | undefined;
  mayMove: boolean;
  moving: number | undefined;
  onSelect: (job: PlanJob) => void;
  onKey: (event: KeyboardEvent, job: PlanJob) => void;
}) {
  const [text, setText] = useState("");
  const waiting = p.board.jobs.filter((j) => j.state === "to_place" || j.state === "late" || j.state === "gone");
  const wanted = text.trim().toLowerCase();
  const shown = waiting.filter((j) => wanted === "" || `${j.unit} ${j.name} ${j.site}`.toLowerCase().includes(wanted));
  return (
    <section className="to-place" aria-label="To be placed">
      <h2 className="heading">
        To be placed <span className="figures">{waiting.length}</span>
      </h2>
      {waiting.length > 8 && (
        <label>
          <span className="hidden-label">find among them</span>
          <input
            className="find"
            placeholder="unit, name, site"
            value={text}
            onChange={(e) => setText(e.target.value)}
          />
        </label>
      )}
      <ul>
        {shown.map((j) => (
          <li key={j.id}>
            <Bracket
              job={j}
              selected={p.selected?.id === j.id}
              moving={p.moving === j.id}
              mayMove={p.mayMove}
              onSelect={p.onSelect}
              onKey={p.onKey}
            />
            <span className="what">
              {workNames[j.work]}
              {j.state === "late" && j.place && <em className="alarm">{` not done on ${weekDay(j.place.day)}`}</em>}
              {j.state === "gone" && <em className="alarm"> its bay or technician is no more</em>}
              {j.night !== undefined ? (
                <em>{` before ${weekDay(j.night)}`}</em>
              ) : (
                <span className="faint">{` ${dueWindow(j.from, j.to, p.board.today)}`}</span>
              )}
              {p.needs.has(j.id) && <em className="need">{`would need ${p.needs.get(j.id) ?? ""}`}</em>}
            </span>
          </li>
        ))}
      </ul>
      {waiting.length === 0 && (
        <p className="faint">
          {p.board.jobs.length === 0
            ? "The work list is empty. Propose with what is due, or add units on the Horizon."
            : "Everything on the work list has a place."}
        </p>
      )}
      {p.board.nights.length > 0 && (
        <div className="nights">
          <h3 className="heading">
            Nights that nothing prevents <span className="figures">{p.board.nights.length}</span>
          </h3>
          <ul>
            {p.board.nights.map((n) => (
              <li key={n.unit} data-night={n.unit}>
                <RouterLink className="link figures" to={`/units/${encodeURIComponent(n.unit)}`}>
                  {n.unit}
                </RouterLink>
                <span className="what alarm">{n.text}</span>
              </li>
            ))}
          </ul>
          {p.mayMove && <p className="faint">Propose with all that runs out: it adds the work.</p>}
        </div>
      )}
      <p>
        <RouterLink className="link" to="/plan/list">
          open the work list
        </RouterLink>
      </p>
    </section>
  );
}
