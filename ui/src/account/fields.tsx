import { useId } from "react";
import type { MeasureUnit } from "../api/client";
import { symbols } from "../words/figures";

interface Common {
  label: string;
  /** Read to screen readers only, where there is a heading above. */
  hidden?: boolean | undefined;
  error?: string | undefined;
  width?: string;
  /** What helps beneath the line. */
  hint?: string | undefined;
}

/** A label above, a control, and what is wrong or helps beneath. */
function Field(p: Common & { children: (id: string, says: string | undefined) => React.ReactNode }) {
  const id = useId();
  const beneath = p.error ?? p.hint;
  return (
    <div className="field" style={{ width: p.width ?? "auto" }}>
      <label htmlFor={id} className={p.hidden ? "hidden-label" : undefined}>
        {p.label}
      </label>
      {p.children(id, beneath ? `${id}-says` : undefined)}
      {beneath && (
        <span id={`${id}-says`} className={p.error ? "wrong" : "hint"} aria-live={p.error ? "polite" : undefined}>
          {beneath}
        </span>
      )}
    </div>
  );
}

/** A line to write on, with its label above and what is wrong beneath. */
export function TextField(
  p: Common & {
    value: string;
    onChange: (value: string) => void;
    onBlur?: () => void;
    type?: string;
    max?: string;
    figures?: boolean;
    placeholder?: string;
    maxLength?: number;
    autoComplete?: string;
    /** Values that are offered while one is typed. */
    offers?: readonly string[] | undefined;
  },
) {
  return (
    <Field {...p}>
      {(id, says) => (
        <>
          <input
            id={id}
            list={p.offers ? `${id}-offers` : undefined}
            type={p.type ?? "text"}
            max={p.max}
            maxLength={p.maxLength}
            inputMode={p.figures ? "decimal" : undefined}
            autoComplete={p.autoComplete ?? "off"}
            className={p.figures ? "figures right" : undefined}
            placeholder={p.placeholder}
            value={p.value}
            aria-invalid={p.error ? true : undefined}
            aria-describedby={says}
            onChange={(e) => p.onChange(e.target.value)}
            onBlur={p.onBlur}
          />
          {p.offers && (
            <datalist id={`${id}-offers`}>
              {p.offers.map((o) => (
                <option key={o} value={o} />
              ))}
            </datalist>
          )}
        </>
      )}
    </Field>
  );
}

/** A choice among few. */
export function SelectField<T extends string>(
  p: Common & {
    value: T | "";
    options: readonly (readonly [T, string])[];
    onChange: (value: T) => void;
    /** How the empty choice reads, when it may stay empty. */
    unsaid?: string | undefined;
  },
) {
  return (
    <Field {...p}>
      {(id, says) => (
        <div className="chosen">
          <select
            id={id}
            value={p.value}
            aria-invalid={p.error ? true : undefined}
            aria-describedby={says}
            onChange={(e) => p.onChange(e.target.value as T)}
          >
            {p.unsaid !== undefined && <option value="">{p.unsaid}</option>}
            {p.unsaid === undefined && p.value === "" && !p.options.some(([v]) => v === "") && (
              <option value="">choose</option>
            )}
            {p.options.map(([value, words]) => (
              <option key={value} value={value}>
                {words}
              </option>
            ))}
          </select>
        </div>
      )}
    </Field>
  );
}

/** A choice among few that takes one press. */
export function ButtonsField(
  p: Pick<Common, "label" | "error"> & {
    value: string;
    options: readonly (readonly [string, string])[];
    onChange: (value: string) => void;
  },
) {
  const name = useId();
  return (
    <fieldset className="buttons" aria-invalid={p.error ? true : undefined}>
      <legend>{p.label}</legend>
      <div>
        {p.options.map(([value, words]) => (
          <label key={value}>
            <input
              type="radio"
              name={name}
              value={value}
              checked={p.value === value}
              onChange={() => p.onChange(value)}
            />
            <span>{words}</span>
          </label>
        ))}
      </div>
      {p.error && <span className="wrong">{p.error}</span>}
    </fieldset>
  );
}

/** A figure with the unit it was read in. */
export function ReadingField(
  p: Common & {
    value: string;
    unit: MeasureUnit;
    units: readonly MeasureUnit[];
    onValue: (value: string) => void;
    onUnit: (unit: MeasureUnit) => void;
    placeholder?: string;
    /** Offers a key that turns the sign of a temperature. */
    minus?: boolean | undefined;
  },
) {
  return (
    <div className={p.hidden ? "flex" : "reading"}>
      <TextField
        label={p.label}
        hidden={p.hidden}
        error={p.error}
        width={p.width ?? "120px"}
        figures
        value={p.value}
        onChange={p.onValue}
        placeholder={p.placeholder ?? ""}
      />
      {p.minus && (p.unit === "degC" || p.unit === "degF") && (
        <button
          type="button"
          className="act sign"
          aria-label={`Turn the sign of ${p.label}`}
          onClick={() => p.onValue(/^\s*[-−]/.test(p.value) ? p.value.replace(/^\s*[-−]/, "") : `−${p.value.trim()}`)}
        >
          ±
        </button>
      )}
      <SelectField
        label={`unit of ${p.label}`}
        hidden
        width={p.units.length > 1 ? "94px" : "100px"}
        value={p.unit}
        options={p.units.map((u) => [u, symbols[u]] as const)}
        onChange={p.onUnit}
      />
    </div>
  );
}

/** Something that is so or not. */
export function Tick(p: { label: string; checked: boolean; onCheck: (checked: boolean) => void; beside?: boolean }) {
  return (
    <label className={p.beside ? "tick beside" : "tick"}>
      <input type="checkbox" checked={p.checked} onChange={(e) => p.onCheck(e.target.checked)} />
      <span>{p.label}</span>
    </label>
  );
}
