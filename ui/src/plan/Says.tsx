import type { Schemas } from "../api/client";
import { figure, weekDay } from "../words/figures";
import type { Board, Carry, PlanJob, PlanOption } from "./carry";
import type { Place } from "./Selected";

/** A place that breaks rules, with what it breaks: refused, or such that a person may decide it. */
export interface Broken {
  readonly job: PlanJob;
  readonly to: Place;
  readonly breaks: readonly string[];
  readonly warned: boolean;
}

/** What is announced: what went wrong, what a place breaks, and where a job is that is on its way. */
export function Says(p: {
  board: Board;
  problem: string | undefined;
  broken: Broken | undefined;
  carry: Carry | undefined;
  option: PlanOption | undefined;
  busy: boolean;
  onAccept: (broken: Broken) => void;
  onLeave: () => void;
}) {
  const { board, problem, broken, carry } = p;
  return (
    <div className="plan-says" aria-live="assertive">
      {problem && (
        <p className="alarm" role="alert">
          {problem}
        </p>
      )}
      {broken && (
        <p className="alarm" data-broken={broken.warned ? "warned" : "refused"}>
          <b className="figures">{broken.job.unit}</b> {broken.warned ? "can go there, but" : "cannot go there:"}{" "}
          {broken.breaks.join("; ")}.{" "}
          {broken.warned && (
            <button type="button" className="act framed" disabled={p.busy} onClick={() => p.onAccept(broken)}>
              place it all the same
            </button>
          )}
          <button type="button" className="act" onClick={p.onLeave}>
            leave it where it is
          </button>
        </p>
      )}
      {carry && (
        <p className="carrying">
          <b className="figures">{carry.job.unit}</b>
          {carry.over ? (
            <>
              {" → "}
              {weekDay(board.days[carry.over.day]?.day ?? board.from)}, {board.bays[carry.over.bay]?.name},{" "}
              {board.sites.find((s) => s.id === board.bays[carry.over?.bay ?? 0]?.bay.site)?.name}:{" "}
              {p.option ? optionText(p.option) : "asking …"}
            </>
          ) : (
            " is picked up"
          )}
          {carry.by === "keys" && <span className="faint"> (arrows move it, Enter places it, Escape leaves it)</span>}
        </p>
      )}
    </div>
  );
}

const optionWords: Record<Schemas["PlanOption"]["state"], string> = {
  free: "free",
  warned: "possible, but",
  refused: "not possible:",
  here: "where it is",
};

function optionText(o: Schemas["PlanOption"]): string {
  const who = o.technician && o.state !== "here" ? `, ${o.technician}` : "";
  const price =
    o.state === "free" && o.cost > 0 ? `, ${figure(o.cost, 1)} h of work more than at its cheapest place` : "";
  return o.state === "free" || o.state === "here"
    ? `${optionWords[o.state]}${who}${price}${o.text ? ` (${o.text})` : ""}`
    : `${optionWords[o.state]} ${o.text}`;
}
