import type { Fact, RegisterRecord } from "./records";
import { SelectField, TextField } from "../account/fields";

interface Props {
  record: RegisterRecord;
  /** What was typed, by the code of the fact. */
  typed: Readonly<Record<string, string>>;
  onType: (code: string, text: string) => void;
  refusalOf: (code: string) => string | undefined;
  /** Facts that are not asked for here. */
  without?: readonly string[];
}

/** The facts of a record to be typed: one line each, with what is not known without it. */
export function RecordForm({ record, typed, onType, refusalOf, without = [] }: Props) {
  return (
    <div className="facts">
      {record.groups.map((g) => {
        const facts = g.facts.filter((f) => !without.includes(f.code));
        return (
          facts.length > 0 && (
            <fieldset key={g.label} className="fact-group">
              <legend>{g.label}</legend>
              {facts.map((f) => (
                <FactField
                  key={f.code}
                  fact={f}
                  value={typed[f.code] ?? f.value}
                  error={refusalOf(f.code)}
                  onChange={(text) => onType(f.code, text)}
                />
              ))}
            </fieldset>
          )
        );
      })}
    </div>
  );
}

function FactField(p: { fact: Fact; value: string; error: string | undefined; onChange: (text: string) => void }) {
  const { fact, value } = p;
  const label = fact.label + (fact.required && !fact.fixed ? " (required)" : "");
  const beneath =
    fact.source === "type" && value === ""
      ? `${fact.shown}, of the type`
      : value === ""
        ? (fact.blocks ?? fact.hint)
        : fact.hint;
  const common = { label, value, error: p.error, hint: beneath, onChange: p.onChange };
  if (fact.fixed) {
    return (
      <div className="field">
        <label>{fact.label}</label>
        <span>{fact.shown}</span>
      </div>
    );
  }
  switch (fact.form) {
    case "choice":
    case "yes_no":
      return (
        <SelectField
          {...common}
          unsaid={fact.source === "type" ? "as the type" : "not known"}
          options={(fact.choices ?? []).map((c) => [c.code, c.label] as const)}
        />
      );
    case "reference":
      return fact.choices ? (
        <SelectField
          {...common}
          unsaid={fact.required ? "choose" : "none"}
          options={fact.choices.map((c) => [c.code, c.label] as const)}
        />
      ) : (
        <TextField {...common} />
      );
    case "lines":
    case "named":
    case "spans":
    case "ways":
      return <LinesField {...common} rows={3} />;
    case "quantity":
    case "whole":
      return (
        <TextField
          {...common}
          label={fact.unit ? `${label}, ${fact.unit}` : label}
          placeholder={fact.source === "type" ? fact.shown : ""}
        />
      );
    default:
      return <TextField {...common} placeholder={fact.source === "type" ? fact.shown : ""} />;
  }
}

function LinesField(p: {
  label: string;
  value: string;
  error: string | undefined;
  hint: string | undefined;
  rows: number;
  onChange: (text: string) => void;
}) {
  const says = p.error ?? p.hint;
  return (
    <div className="field">
      <label>
        <span className="label">{p.label}</span>
        <textarea
          rows={p.rows}
          value={p.value}
          aria-invalid={p.error ? true : undefined}
          onChange={(e) => p.onChange(e.target.value)}
        />
      </label>
      {says && (
        <span className={p.error ? "wrong" : "hint"} aria-live={p.error ? "polite" : undefined}>
          {says}
        </span>
      )}
    </div>
  );
}
