import type { MeasureUnit, Product, Schemas } from "../api/client";
import { symbols } from "../words/figures";
import { placeOf, word } from "../words/names";
import { type FieldErrors, lastUnit, rowsOf } from "./draft";
import { ButtonsField, ReadingField, SelectField, TextField, Tick } from "./fields";
import { DateField } from "./DateField";
import type { FieldSpec } from "./kinds";
import { ReportField } from "./ReportField";

interface Props {
  spec: FieldSpec;
  /** Where its text is kept, and where the contract has it. */
  path: string;
  pointer: string;
  values: (name: string) => string;
  onValues: (part: Record<string, string>) => void;
  errors: FieldErrors;
  products: readonly Product[];
  additives: readonly Schemas["Additive"][];
  instruments: readonly string[];
  /** In a table the column's head is the label. */
  bare?: boolean;
  /** The unit is shown once, in the head of the column. */
  unitAbove?: boolean;
}

/** One field of a form, drawn by what it asks. */
export function FieldOf(p: Props) {
  const { spec: f, path, values, onValues, errors } = p;
  const error = errors[p.pointer];
  const value = values(path);
  switch (f.type) {
    case "reading":
      if (p.unitAbove) {
        return (
          <TextField
            label={f.label || path}
            hidden
            figures
            width="120px"
            value={value}
            onChange={(v) => onValues({ [path]: v })}
            error={errors[`${p.pointer}/value`] ?? errors[`${p.pointer}/unit`] ?? error}
          />
        );
      }
      return (
        <ReadingField
          label={f.label || path}
          hidden={p.bare}
          minus={f.minus}
          value={value}
          unit={(values(`${path}.unit`) || lastUnit(f.units)) as MeasureUnit}
          units={f.units}
          onValue={(v) => onValues({ [path]: v })}
          onUnit={(u) => onValues({ [`${path}.unit`]: u })}
          error={errors[`${p.pointer}/value`] ?? errors[`${p.pointer}/unit`] ?? error}
        />
      );
    case "number":
      return (
        <TextField
          label={f.label}
          figures
          width="124px"
          value={value || (f.initial ?? "")}
          onChange={(v) => onValues({ [path]: v })}
          error={error}
          hint={f.hint}
        />
      );
    case "numbers":
      return (
        <TextField
          label={f.label}
          width="260px"
          value={value || (f.initial ?? "")}
          onChange={(v) => onValues({ [path]: v })}
          error={error}
          hint={f.hint}
        />
      );
    case "words":
      return (
        <TextField
          label={f.label}
          width="220px"
          value={value}
          onChange={(v) => onValues({ [path]: v })}
          error={error}
          hint={f.hint}
        />
      );
    case "date":
      return (
        <DateField
          label={f.label}
          width="150px"
          placeholder="May 2028"
          value={value}
          onChange={(v) => onValues({ [path]: v })}
          error={error}
        />
      );
    case "report":
      return (
        <ReportField
          label={f.label}
          value={value}
          onChange={(v) => onValues({ [path]: v })}
          error={errors["/attachments/0"]}
        />
      );
    case "text":
      return (
        <TextField
          label={f.label}
          width={f.width ?? "220px"}
          maxLength={500}
          offers={f.instrument ? p.instruments : undefined}
          value={value}
          onChange={(v) => onValues({ [path]: v })}
          error={error}
        />
      );
    case "choice":
      if (f.buttons) {
        return (
          <ButtonsField
            label={f.label}
            value={value || (f.initial ?? "")}
            options={f.options}
            onChange={(v) => onValues({ [path]: v })}
            error={error}
          />
        );
      }
      return (
        <SelectField
          label={f.label}
          hidden={p.bare}
          width={p.bare ? "150px" : "190px"}
          value={value || (f.initial ?? "")}
          options={f.options}
          unsaid={f.optional ? (p.bare ? "not inspected" : "not given") : undefined}
          onChange={(v) => onValues({ [path]: v })}
          error={error}
        />
      );
    case "yesno":
      return (
        <SelectField
          label={f.label}
          width="160px"
          value={value}
          options={[
            ["yes", f.yes],
            ["no", f.no],
          ]}
          unsaid="not given"
          onChange={(v) => onValues({ [path]: v })}
          error={error}
        />
      );
    case "check":
      return (
        <Tick
          label={f.label}
          beside
          checked={value === "yes"}
          onCheck={(on) => onValues({ [path]: on ? "yes" : "" })}
        />
      );
    case "points":
      return (
        <fieldset className="whole">
          <legend className="small">{f.label}</legend>
          <div className="ticks">
            {f.keys.map((key) => (
              <Tick
                key={key}
                label={word(key)}
                checked={values(`${path}.${key}`) === "yes"}
                onCheck={(on) => onValues({ [`${path}.${key}`]: on ? "yes" : "" })}
              />
            ))}
          </div>
        </fieldset>
      );
    case "product":
      return (
        <SelectField
          label="product"
          width="240px"
          value={p.products.some((o) => o.code === value && f.forms.includes(o.form)) ? value : ""}
          options={p.products.filter((o) => f.forms.includes(o.form)).map((o) => [o.code, o.name] as const)}
          unsaid={f.optional ? "not known" : undefined}
          onChange={(v) => onValues({ [path]: v })}
          error={error}
        />
      );
    case "additive":
      return (
        <SelectField
          label={f.kind === "filter" ? "filter" : "additive"}
          width="260px"
          value={value}
          options={p.additives.filter((a) => a.kind === f.kind).map((a) => [a.code, a.name] as const)}
          unsaid="choose one"
          onChange={(v) => onValues({ [path]: v })}
          error={error}
        />
      );
    case "lines":
    case "named":
      return <LinesOf {...p} spec={f} error={error} />;
    case "line":
      return null; // chosen on the ledger page
  }
}

/** A list as a small table: one line for each key, or some lines that name themselves. */
function LinesOf(p: Props & { spec: Extract<FieldSpec, { type: "lines" | "named" }>; error: string | undefined }) {
  const { spec: f, path } = p;
  // A name and one reading fit beside each other on a phone; more do not.
  const wraps = f.type === "named" || f.columns.length > 1;
  const rows = rowsOf(f);
  const unitNames = (column: string) => rows.map((row) => `${path}.${row}.${column}.unit`);
  /** The one unit of a column of readings; none where an entry that is corrected has several. */
  const unitOfColumn = (c: (typeof f.columns)[number]): MeasureUnit | undefined => {
    if (c.type !== "reading") return undefined;
    const chosen = new Set(unitNames(c.name).map((name) => p.values(name) || lastUnit(c.units)));
    return chosen.size === 1 ? ([...chosen][0] as MeasureUnit) : undefined;
  };
  return (
    <div className="field">
      <div role="group" aria-label={f.label} className="listed">
        <div className="heads">
          <span className={f.type === "lines" ? "key" : "key named"}>{f.label}</span>
          {f.columns.map((c) => (
            <span key={c.name} className={c.type === "choice" ? "choice" : undefined}>
              {c.label}
              {c.type === "reading" && unitOfColumn(c) && (
                <SelectField
                  label={`unit of ${f.label}`}
                  hidden
                  width="94px"
                  value={unitOfColumn(c) ?? ""}
                  options={c.units.map((u) => [u, symbols[u]] as const)}
                  onChange={(u) => p.onValues(Object.fromEntries(unitNames(c.name).map((name) => [name, u])))}
                />
              )}
            </span>
          ))}
        </div>
        <div style={{ display: "grid", gridTemplateColumns: gridOf(f.columns.length), columnGap: "14px" }}>
          {rows.map((row) => (
            <div key={row} className={wraps ? "item wraps" : "item"}>
              {f.type === "lines" ? (
                <span className="key">
                  {word(row)}
                  {placeOf(row) && <span className="where">{placeOf(row)}</span>}
                </span>
              ) : (
                <TextField
                  label={`${f.key} ${Number(row) + 1}`}
                  hidden
                  width="150px"
                  value={p.values(`${path}.${row}.${f.key}`)}
                  onChange={(v) => p.onValues({ [`${path}.${row}.${f.key}`]: v })}
                />
              )}
              {f.columns.map((c) => (
                <FieldOf
                  key={c.name}
                  {...p}
                  spec={{
                    ...c,
                    label: `${f.type === "lines" ? word(row) : `${f.label} ${Number(row) + 1}`} ${c.label}`.trim(),
                  }}
                  path={`${path}.${row}.${c.name}`}
                  pointer={`${p.pointer}/${row}/${c.name}`}
                  unitAbove={unitOfColumn(c) !== undefined}
                  bare
                />
              ))}
            </div>
          ))}
        </div>
      </div>
      {p.error && <span className="wrong">{p.error}</span>}
    </div>
  );
}

/** Two lines beside each other where there is room and the head belongs to one column only. */
const gridOf = (columns: number) => (columns > 1 ? "1fr" : "repeat(auto-fill, minmax(min(340px, 100%), 1fr))");
