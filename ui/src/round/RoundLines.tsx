import { Link as RouterLink } from "react-router";
import type { Schemas } from "../api/client";
import { dayTime } from "../words/figures";

/** Rounds under way and those of the last day, a line each. */
export function RoundLines({ rounds }: { rounds: readonly Schemas["RoundSummary"][] }) {
  return (
    <section className="section" aria-label="Rounds">
      <h2 className="heading">Rounds</h2>
      <ul className="round-lines">
        {rounds.map((r) => (
          <li key={r.id}>
            <RouterLink className="link" to={`/rounds/${r.id}`} data-line>
              {r.title}
            </RouterLink>{" "}
            <span>
              {r.who}, {r.closedAt ? `closed ${dayTime(r.closedAt)}` : `under way since ${dayTime(r.startedAt)}`}:{" "}
              {r.text}
            </span>
            {r.found && r.found.length > 0 && (
              <ul>
                {r.found.slice(0, 4).map((f) => (
                  <li key={f}>{f}</li>
                ))}
                {r.found.length > 4 && <li>and {r.found.length - 4} more</li>}
              </ul>
            )}
          </li>
        ))}
      </ul>
    </section>
  );
}
