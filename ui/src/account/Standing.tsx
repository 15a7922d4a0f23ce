import type { Account, Explanation, Line } from "../api/client";
import { longDay, shortDay } from "../words/figures";
import { severityNames, stopNames } from "../words/names";

/** What balances the books, or the way to it. */
export type Balance = (line: Line, which: number) => void;

/** Book and test disagree: what may explain it by what it proposes, and the test or the entry that comes next. */
export function Discrepancy(p: {
  account: Account;
  onBalance?: Balance | undefined;
  onTest?: (() => void) | undefined;
}) {
  const { discrepancy } = p.account;
  const line = discrepancy?.test;
  if (!discrepancy || !line?.test) return null;
  const { explanations = [] } = line;
  const retest = !discrepancy.confirmed;
  return (
    <section className="disagree" aria-label="Book and test disagree">
      <h2 className="strong">{discrepancy.text}</h2>
      {discrepancy.next.map((text) => (
        <p key={text} style={{ marginTop: "4px" }}>
          {text}
        </p>
      ))}
      {retest && p.onTest && (
        <p style={{ marginTop: "4px" }}>
          <Act onClick={p.onTest}>record a second freeze test</Act>
        </p>
      )}
      <ol style={{ marginTop: "6px" }}>
        {explanations.map((x, i) => (
          <Cause
            key={x.cause}
            x={x}
            first={i === 0 || x.distinguish !== undefined}
            onBalance={p.onBalance && x.balance && !retest ? () => p.onBalance?.(line, i) : undefined}
          />
        ))}
      </ol>
    </section>
  );
}

/** What may be recorded, as a line of the text. */
function Act({ onClick, children }: { onClick: () => void; children: React.ReactNode }) {
  return (
    <button type="button" className="act line strong" onClick={onClick}>
      {children}
    </button>
  );
}

function Cause({ x, first, onBalance }: { x: Explanation; first: boolean; onBalance: (() => void) | undefined }) {
  return (
    <li className={first ? undefined : "fine"}>
      <p>
        <span className={first ? "faint strong" : "faint"}>{x.likelihood}: </span>
        {x.text}
      </p>
      {onBalance && <Act onClick={onBalance}>{balances[x.cause] ?? "record what balances the books"}</Act>}
    </li>
  );
}

const balances: Partial<Record<Explanation["cause"], string>> = {
  water_added: "record the missing top-up, marked as inferred",
  leak_and_refill: "record the missing refill, marked as inferred",
  concentrate_added: "record the missing concentrate, marked as inferred",
  wrong_scale: "strike the test and record it on that scale",
  mixed_wrong: "strike the renewal and record it so",
  fill_volume: "strike the renewal and record it so",
  stayed_inside: "strike the renewal and record what stayed inside",
};

/** Points that have a clock and a list of their own. */
const ownClock: ReadonlySet<string> = new Set(["chemistry", "product"]);

/** What stops the unit or is open, besides the clocks: holds, defects, findings, what is owed, leak and chemistry. */
export function Standing({ account }: { account: Account }) {
  const rows: [string, string, boolean][] = [];
  for (const s of account.stops) rows.push([stopNames[s.cause], `${s.text} (${shortDay(s.at)})`, true]);
  for (const d of account.defects.filter((d) => !account.stops.some((s) => s.cause === "defect" && s.entry === d.id)))
    rows.push(["defect", `${d.what} (${severityNames[d.severity]}, ${shortDay(d.at)})`, false]);
  for (const o of account.pendingChecks) rows.push(["to check", `${o.text}, since ${shortDay(o.since)}`, false]);
  if (account.laidUp)
    rows.push([
      "laid up",
      [`since ${shortDay(account.laidUp.since)}`, account.laidUp.why].filter(Boolean).join(": "),
      false,
    ]);
  if (account.leak) rows.push(["loses", account.leak.text, false]);
  for (const f of account.findings.filter((f) => !ownClock.has(f.point) && (f.grade === "bad" || f.grade === "soft"))) {
    rows.push([f.label, `${f.text}, ${shortDay(f.at)}`, f.grade === "bad"]);
  }
  const good = account.findings.filter((f) => !ownClock.has(f.point) && f.grade === "good");
  return (
    <section aria-label="Findings" style={{ marginTop: "16px" }}>
      <h2 className="subheading">what was found</h2>
      {rows.map(([name, text, bad]) => (
        <div key={name + text} className="pair">
          <span className={bad ? "of alarm" : "of"}>{name}</span>
          <span className="grow fine">{text}</span>
        </div>
      ))}
      {good.length > 0 && (
        <p className="fine faint" style={{ padding: "6px 0" }}>
          Found good: {good.map((f) => `${f.label} ${shortDay(f.at)}`).join(" · ")}
        </p>
      )}
      {rows.length === 0 && good.length === 0 && (
        <p className="fine faint" style={{ padding: "6px 0" }}>
          Cap, hoses and other points were not inspected yet.
        </p>
      )}
      <ChemistryOf account={account} />
    </section>
  );
}

function ChemistryOf({ account }: { account: Account }) {
  const c = account.chemistry;
  if (!c) return null;
  const tested = c.properties.filter((p) => p.at !== undefined);
  const untested = c.properties.filter((p) => p.at === undefined);
  return (
    <section aria-label="Chemistry" style={{ marginTop: "10px" }}>
      <h2 className="subheading">chemistry</h2>
      {tested.map((p) => (
        <div key={p.name} className="pair fine">
          <span className={p.grade === "bad" ? "grow alarm strong" : "grow"}>
            {p.words}
            {p.reaches ? `, at its limit by ${longDay(p.reaches)}` : ""}
          </span>
          <span className="figures faint">{p.at && shortDay(p.at)}</span>
        </div>
      ))}
      {untested.length > 0 && (
        <p className="fine faint" style={{ padding: "5px 0" }}>
          Not tested: {untested.map((p) => p.name).join(", ")}.
        </p>
      )}
      {c.proposals.map((p) => (
        <p key={p.words} className="fine strong" style={{ padding: "5px 0" }}>
          {p.words}
        </p>
      ))}
    </section>
  );
}
