import { NavLink } from "react-router";
import type { Account } from "../api/client";
import { Vial } from "../marks/Vial";
import { verdictWords } from "../words/names";

/** The circuits of the unit, each with its verdict and why; nothing for a unit with one. */
export function Circuits({ account }: { account: Account }) {
  if (!account.circuits) return null;
  return (
    <ul className="circuits" aria-label="Circuits of the unit">
      {account.circuits.map((c) => (
        <li key={c.code}>
          <NavLink className="circuit" to={`/units/${encodeURIComponent(c.code)}`} end>
            <Vial verdict={c.verdict} left={c.remaining} />
            <span className="strong">{c.circuit}</span>
            <span className={c.verdict === "hold" || c.verdict === "overdue" ? "alarm" : undefined}>
              {verdictWords[c.verdict]}
            </span>
            <span className="reason faint" title={c.text}>
              {c.text}
            </span>
          </NavLink>
        </li>
      ))}
    </ul>
  );
}
