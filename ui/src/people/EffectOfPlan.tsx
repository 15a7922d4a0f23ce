import { useState } from "react";
import { Link as RouterLink } from "react-router";
import type { Schemas } from "../api/client";
import { dueText, figure } from "../words/figures";
import { clockName, verdictWords } from "../words/names";

/** Which units would change status by a change of a service plan or of the register. */
export function EffectOfPlan({ effect }: { effect: Schemas["StatusChanges"] }) {
  const [all, setAll] = useState(false);
  if (effect.rows.length === 0) return <p className="faint">No unit would change status.</p>;
  const units = (n: number) => `${figure(n)} ${n === 1 ? "unit" : "units"}`;
  const state = (o: Schemas["UnitStatus"]) => {
    const c = o.clocks[0];
    return c ? `${verdictWords[o.verdict]}, ${clockName(c)} ${dueText(c, effect.today)}` : verdictWords[o.verdict];
  };
  return (
    <>
      <p className="strong">
        This change makes {units(effect.newlyDue)} due within the month that {effect.newlyDue === 1 ? "was" : "were"}{" "}
        not, and takes {units(effect.noLongerDue)} off the list; {units(effect.rows.length)} would change status.
      </p>
      <ul className="fine">
        {effect.rows.slice(0, all ? undefined : 5).map((r) => (
          <li key={r.unit.code}>
            <RouterLink className="code figures" to={`/units/${encodeURIComponent(r.unit.code)}`} title={r.unit.name}>
              {r.unit.code}
            </RouterLink>{" "}
            {state(r.before)} → {state(r.after)}
          </li>
        ))}
      </ul>
      {!all && effect.rows.length > 5 && (
        <button type="button" className="act line" onClick={() => setAll(true)}>
          show all {figure(effect.rows.length)}
        </button>
      )}
    </>
  );
}
