import { useEffect, useState } from "react";
import { figure, inTemperature, unitOf } from "../words/figures";

/** How long a strip has been wet, and whether it may be read now. */
export function StripTimer(p: { from: number; until: number; onLate: (late: boolean) => void }) {
  const [dipped, setDipped] = useState<number>();
  const [now, setNow] = useState(0);
  useEffect(() => {
    if (dipped === undefined) return undefined;
    const timer = setInterval(() => setNow(Date.now()), 250);
    return () => clearInterval(timer);
  }, [dipped]);
  const seconds = dipped === undefined ? undefined : Math.max(0, Math.floor((now - dipped) / 1000));
  const late = seconds !== undefined && seconds > p.until;
  const { onLate } = p;
  useEffect(() => onLate(late), [late, onLate]);
  function dip() {
    setNow(Date.now());
    setDipped(Date.now());
  }
  return (
    <div className="strip-timer">
      <button type="button" className="choice" onClick={dip}>
        {dipped === undefined ? "dipped now" : "dipped anew"}
      </button>
      <p role="timer" className={late ? "alarm strong" : ""}>
        {seconds === undefined
          ? `Read ${p.from} to ${p.until} s after dipping; the bottle overrules.`
          : late
            ? `${seconds} s: too late, it is kept and not used. Take a new strip.`
            : seconds < p.from
              ? `${seconds} s: wait until ${p.from} s.`
              : `${seconds} s: read it now.`}
      </p>
    </div>
  );
}

interface FieldProps {
  name: string;
  steps: readonly number[];
  /** Whether the steps are temperatures, °C. */
  degrees?: boolean;
  unit?: string;
  /** Which step; undefined before one is chosen. */
  step?: number;
  onStep: (index: number) => void;
}

/** A field of a strip as its named steps, from one to the next. */
export function StripField({ name, steps, degrees, unit, step, onStep }: FieldProps) {
  const text = (v: number | undefined) => (degrees ? figure(inTemperature(v)) : v === undefined ? "" : String(v));
  const of = degrees ? ` ${unitOf("temperature")}` : unit ? ` ${unit}` : "";
  return (
    <div role="group" aria-label={name}>
      <p className="asked">
        {name}
        {of && `,${of}`}
      </p>
      <div className="choices">
        {steps.map((s, i) => (
          <button
            key={s}
            type="button"
            className="choice narrow"
            aria-pressed={step === i}
            onClick={() => onStep(i)}
            aria-label={`${text(s)} to ${i + 1 < steps.length ? text(steps[i + 1]) : "more"}${of}`}
          >
            <svg className="swatch" viewBox="0 0 20 10" aria-hidden="true" focusable="false">
              <rect width="20" height="10" className="lit" />
              {Array.from({ length: i + 1 }, (_, n) => (
                <path key={n} d={`M${(n + 0.5) * (20 / steps.length)} 0v10`} className="hatch" />
              ))}
            </svg>
            {text(s)}
          </button>
        ))}
      </div>
    </div>
  );
}
