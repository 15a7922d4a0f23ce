import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Link as RouterLink } from "react-router";
import { type Schemas, api } from "../api/client";
import { DateField, unread } from "../account/DateField";
import { UnitCode } from "../marks/UnitCode";
import { longDay } from "../words/figures";
import { verdictWords, workNames } from "../words/names";
import type { Board, PlanJob } from "./carry";

export interface Place {
  readonly day: string;
  readonly bay: Schemas["PlanBayName"];
  readonly technician: number | undefined;
}

/** The selected job: what it takes, why it is there and not a week later, and what can be done with it. */
export function Selected(p: {
  board: Board;
  job: PlanJob;
  mayMove: boolean;
  busy: boolean;
  onPlace: (to: Place) => void;
  onOff: () => void;
  onPin: (pinned: boolean) => void;
  onClose: () => void;
}) {
  const { job, board } = p;
  const why = useQuery({
    queryKey: ["plan", "why", job.id, board.revision],
    queryFn: ({ signal }) => api.explainPlan(job.id, signal),
    enabled: job.state !== "done",
  });
  return (
    <section className="selected-job" aria-label={`${job.unit}, ${workNames[job.work]}`}>
      <div className="who-is-it">
        <h2>
          <RouterLink className="link figures" to={`/units/${encodeURIComponent(job.unit)}`}>
            <UnitCode code={job.unit} />
          </RouterLink>{" "}
          {workNames[job.work]}
        </h2>
        <p>
          {job.name}, {job.site}
        </p>
        <p>
          <b>{verdictWords[job.verdict]}</b>: {job.why}
        </p>
        {job.nightText && <p className="night-text">{job.nightText}</p>}
        <p className="faint">
          {job.times}; {job.skills}
          {job.product && `; ${job.product}`}
        </p>
        {[...job.breaks, ...job.warnings].map((b) => (
          <p key={b} className="alarm">
            {b}
          </p>
        ))}
      </div>
      <div className="why-there" aria-live="polite">
        {why.isPending && job.state !== "done" && <p className="faint">asking why …</p>}
        {why.error && <p className="alarm">{why.error.message}</p>}
        {why.data?.lines.map((l) => (
          <div key={l.heading}>
            <h3>{l.heading}</h3>
            <ul>
              {l.text.map((t) => (
                <li key={t}>{t}</li>
              ))}
            </ul>
          </div>
        ))}
        {job.state === "done" && job.done && <p>Done by the books on {longDay(job.done)}.</p>}
      </div>
      <div className="do-with-it">
        {p.mayMove && job.state !== "done" && !job.agreed && (
          <PlaceForm key={`${job.id} ${job.place?.day ?? ""}`} {...p} />
        )}
        {job.agreed && <p>Its week is agreed: unlock it to move the job.</p>}
        <div className="buttons-row">
          {p.mayMove && job.place && job.state === "placed" && !job.agreed && (
            <>
              <button
                type="button"
                className="act framed"
                disabled={p.busy}
                onClick={() => p.onPin(!job.place?.pinned)}
              >
                {job.place.pinned ? "unpin" : "pin"}
              </button>
              <button type="button" className="act framed" disabled={p.busy} onClick={p.onOff}>
                take off the plan
              </button>
            </>
          )}
          {job.state !== "done" && job.sheet && (
            <RouterLink className="act framed" to={`/job/new?unit=${encodeURIComponent(job.unit)}`}>
              its job sheet
            </RouterLink>
          )}
          <button type="button" className="act" onClick={p.onClose}>
            close
          </button>
        </div>
      </div>
    </section>
  );
}

/** The same as moving it by hand: a day, a bay, a technician. */
function PlaceForm(p: { board: Board; job: PlanJob; busy: boolean; onPlace: (to: Place) => void }) {
  const { board, job } = p;
  const fits = board.bays.filter((b) => b.bay.kind === job.bay);
  const key = (b: { site: number; number: number }) => `${b.site}-${b.number}`;
  const [day, setDay] = useState(job.place?.day ?? "");
  const [bay, setBay] = useState(job.place ? key(job.place.bay) : fits[0] ? key(fits[0].bay) : "");
  const [who, setWho] = useState(job.place ? String(job.place.technician) : "");
  const at = fits.find((b) => key(b.bay) === bay);
  if (fits.length === 0) return <p className="alarm">No site has a bay for it: add one in the Register.</p>;
  return (
    <form
      className="place-form"
      aria-label="Place it"
      onSubmit={(e) => {
        e.preventDefault();
        if (at && day !== "") p.onPlace({ day, bay: at.bay, technician: who === "" ? undefined : Number(who) });
      }}
    >
      <DateField label="day" width="150px" value={day} onChange={setDay} />
      <label>
        bay
        <select value={bay} onChange={(e) => setBay(e.target.value)}>
          {fits.map((b) => (
            <option key={key(b.bay)} value={key(b.bay)}>
              {b.name}, {board.sites.find((s) => s.id === b.bay.site)?.name}
            </option>
          ))}
        </select>
      </label>
      <label>
        technician
        <select value={who} onChange={(e) => setWho(e.target.value)}>
          <option value="">who suits best</option>
          {board.technicians.map((t) => (
            <option key={t.id} value={t.id}>
              {t.name}
            </option>
          ))}
        </select>
      </label>
      <button type="submit" className="solid" disabled={p.busy || day === "" || day === unread}>
        place
      </button>
    </form>
  );
}
