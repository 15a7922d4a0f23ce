import type { EntryEffectSide, Schemas } from "../api/client";
import { figure, inTemperature, inVolume, longDay, unitOf } from "../words/figures";
import { clockNames, verdictWords } from "../words/names";

/** What an entry would do: the books before and after it, and what is due next. */
export function EffectOf({ effect, today }: { effect: Schemas["EntryEffect"]; today: string }) {
  const { before, after, line } = effect;
  const [quiet, loud] = [true, false].map((q) => line.notes.filter((n) => !n.warning === q).map((n) => n.text));
  const compared = line.test?.text ?? "";
  const off = line.test !== undefined && !line.test.agrees;
  return (
    <div data-testid="effect">
      {effect.read.map((text) => (
        <p key={text} className="strong">
          {text}
        </p>
      ))}
      <p>
        <Change
          name="volume"
          a={inVolume(before.balance.litres)}
          b={inVolume(after.balance.litres)}
          digits={1}
          unit={unitOf("volume")}
        />{" "}
        · <Change name="glycol" a={before.balance.glycol} b={after.balance.glycol} digits={0} unit="%" /> ·{" "}
        <Change
          name="protects to"
          a={inTemperature(before.protectsTo)}
          b={inTemperature(after.protectsTo)}
          digits={0}
          unit={unitOf("temperature")}
        />
      </p>
      <p>
        Next: <b>{next(after, today)}</b>
        {next(before, today) !== next(after, today) && (
          <span className="faint"> (was {next(before, today)})</span>
        )} — {after.status.clocks[0]?.reason.text}
      </p>
      <Remarks className="faint" remarks={[...(off ? [] : [compared]), ...(quiet ?? [])]} />
      <Remarks className="alarm" remarks={[...(off ? [compared] : []), ...(loud ?? [])]} />
      {line.explanations?.[0] && <p className="faint">Likeliest: {line.explanations[0].text}</p>}
    </div>
  );
}

function Remarks({ className, remarks }: { className: string; remarks: readonly string[] }) {
  const text = remarks.filter(Boolean).join("; ");
  return text ? <p className={className}>{text}</p> : null;
}

function Change(p: { name: string; a: number | undefined; b: number | undefined; digits: number; unit: string }) {
  const [a, b] = [figure(p.a, p.digits), figure(p.b, p.digits)];
  return (
    <>
      {p.name}{" "}
      <span className="figures">
        {a === b ? b : `${a} → ${b}`} {p.unit}
      </span>
    </>
  );
}

function next(m: EntryEffectSide, today: string): string {
  const governing = m.status.clocks[0];
  if (!governing) return "";
  const due = governing.due ? (governing.due === today ? "today" : longDay(governing.due)) : "no day";
  return `${clockNames[governing.kind].toLowerCase()}, ${verdictWords[m.status.verdict]}, ${due}`;
}
