import { useMutation } from "@tanstack/react-query";
import { useState } from "react";
import { type Schemas, api } from "../api/client";
import { figure } from "../words/figures";
import { workNames } from "../words/names";
import { type Board, addDays } from "./carry";

type Supposed = "less_bay" | "less_technician" | "earlier" | "new_site";

/** The plan beside the one that would be if the workshop were another. Nothing is changed by it. */
export function WhatIf({ board, onClose }: { board: Board; onClose: () => void }) {
  const [supposed, setSupposed] = useState<Supposed>("less_bay");
  const bays = board.bays.filter((b) => b.bay.kind !== "place");
  const [bay, setBay] = useState(0);
  const [who, setWho] = useState(board.technicians[0]?.id ?? 0);
  const [days, setDays] = useState("7");
  const [name, setName] = useState("New yard");
  const [kind, setKind] = useState<Schemas["BayKind"]>("car");
  const from = board.from > board.today ? board.from : board.today;
  const ask = useMutation({
    mutationFn: () =>
      api.whatIf({
        from,
        to: board.days.at(-1)?.day ?? addDays(from, 13),
        supposed,
        ...(supposed === "less_bay" && bays[bay] ? { bay: bays[bay].bay } : {}),
        ...(supposed === "less_technician" ? { technician: who } : {}),
        ...(supposed === "earlier" ? { days: Number(days) } : {}),
        ...(supposed === "new_site" ? { name, kind } : {}),
      }),
  });
  return (
    <section className="what-if" aria-label="What if">
      <form
        className="plan-form"
        onSubmit={(e) => {
          e.preventDefault();
          ask.mutate();
        }}
      >
        <label>
          what if
          <select value={supposed} onChange={(e) => setSupposed(e.target.value as Supposed)}>
            <option value="less_bay">a bay is out of use</option>
            <option value="less_technician">a technician is absent</option>
            <option value="earlier">the cold comes sooner</option>
            <option value="new_site">there were a new site</option>
          </select>
        </label>
        {supposed === "less_bay" && (
          <label>
            which bay
            <select value={bay} onChange={(e) => setBay(Number(e.target.value))}>
              {bays.map((b, n) => (
                <option key={`${b.bay.site} ${b.name}`} value={n}>
                  {b.name}, {board.sites.find((s) => s.id === b.bay.site)?.name}
                </option>
              ))}
            </select>
          </label>
        )}
        {supposed === "less_technician" && (
          <label>
            who
            <select value={who} onChange={(e) => setWho(Number(e.target.value))}>
              {board.technicians.map((t) => (
                <option key={t.id} value={t.id}>
                  {t.name}
                </option>
              ))}
            </select>
          </label>
        )}
        {supposed === "earlier" && (
          <label>
            by days
            <input type="number" min={1} max={60} value={days} onChange={(e) => setDays(e.target.value)} />
          </label>
        )}
        {supposed === "new_site" && (
          <>
            <label>
              its name
              <input value={name} maxLength={80} onChange={(e) => setName(e.target.value)} />
            </label>
            <label>
              with a bay for
              <select value={kind} onChange={(e) => setKind(e.target.value as Schemas["BayKind"])}>
                <option value="car">cars</option>
                <option value="heavy">heavy vehicles</option>
                <option value="motorcycle">motorcycles</option>
                <option value="dock">boats</option>
                <option value="hangar">aircraft</option>
              </select>
            </label>
          </>
        )}
        <button type="submit" className="solid" disabled={ask.isPending}>
          {ask.isPending ? "searching …" : "compare"}
        </button>
        <button type="button" className="act" onClick={onClose}>
          close
        </button>
      </form>
      {ask.error && (
        <p className="alarm" role="alert">
          {ask.error.message}
        </p>
      )}
      {ask.data && <Compared what={ask.data} />}
    </section>
  );
}

function Compared({ what }: { what: Schemas["WhatIf"] }) {
  const list = (all: readonly string[]) => (all.length === 0 ? "nothing" : all.join(", "));
  return (
    <div className="compared" role="status">
      <p>
        <b>{what.title}</b>, from the first of these days on. The plan itself is not changed.
      </p>
      <table>
        <thead>
          <tr>
            <th />
            <th scope="col">the plan</th>
            <th scope="col">then</th>
          </tr>
        </thead>
        <tbody>
          <tr>
            <th scope="row">cost in hours of work, of what has a place in both</th>
            <td className="figures">{figure(what.nowCost, 1)}</td>
            <td className="figures">{figure(what.thenCost, 1)}</td>
          </tr>
          <tr>
            <th scope="row">made up of</th>
            <td>{list(what.now)}</td>
            <td>{list(what.then)}</td>
          </tr>
          <tr>
            <th scope="row">without a place</th>
            <td className="figures">{what.nowLeft}</td>
            <td className="figures">{what.out.length + what.left.length}</td>
          </tr>
        </tbody>
      </table>
      {what.out.length > 0 && (
        <>
          <h3>Falls out of the plan</h3>
          <ul>
            {what.out.map((l) => (
              <li key={l.id} className="alarm">
                <b className="figures">{l.unit}</b> {workNames[l.work]}: would need {l.text}
              </li>
            ))}
          </ul>
        </>
      )}
      {what.out.length === 0 && <p>Nothing falls out of the plan.</p>}
      {what.moved.length > 0 && (
        <>
          <h3>Moves</h3>
          <ul>
            {what.moved.map((m) => (
              <li key={m}>{m}</li>
            ))}
          </ul>
        </>
      )}
      {what.in.length > 0 && <p>Finds a place: {what.in.join(", ")}</p>}
    </div>
  );
}
