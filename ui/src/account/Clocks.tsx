import { useState } from "react";
import type { Account, Clock } from "../api/client";
import { Vial } from "../marks/Vial";
import { daysAway, dueText } from "../words/figures";
import { clockId, clockNames, verdictWords } from "../words/names";

/** The clocks of a unit, the governing one first, each with its "why?". */
export function Clocks({ account }: { account: Account }) {
  return (
    <section aria-label="What runs out first">
      <h2 className="subheading">what runs out first</h2>
      {account.status.clocks.map((c) => (
        <ClockLine key={clockId(c)} clock={c} account={account} />
      ))}
    </section>
  );
}

function ClockLine({ clock, account }: { clock: Clock; account: Account }) {
  const [open, setOpen] = useState(false);
  return (
    <div className="clock" data-clock={clock.kind}>
      <div className="what">
        <Vial verdict={clock.verdict} left={clock.remaining} />
        <div className="grow">
          <p>
            <b>{clockNames[clock.kind]}</b> {clock.reason.text}
          </p>
          <div className="flex small faint" style={{ gap: "10px", alignItems: "center" }}>
            <span>{verdictWords[clock.verdict]}</span>
            <button
              type="button"
              className="why no-print"
              aria-label={`why? ${clockNames[clock.kind]}`}
              aria-expanded={open}
              onClick={() => setOpen(!open)}
            >
              why?
            </button>
          </div>
        </div>
        <div className="due figures" data-due={clock.due ?? ""}>
          {dueText(clock, account.today)}
          {clock.days !== undefined && clock.days !== 0 && <div className="faint">{daysAway(clock.days)}</div>}
        </div>
      </div>
      {open && (
        <ul className="rules">
          {(clock.reason.rule ?? []).map((r) => (
            <li key={r}>{r}</li>
          ))}
        </ul>
      )}
    </div>
  );
}
