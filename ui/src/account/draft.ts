import { format } from "date-fns";
import { v7 as uuidv7 } from "uuid";
import type { Account, EntryInput, EntryKind, MeasureUnit, Product, Schemas } from "../api/client";

/** An entry as it is being typed: text where numbers will be. */
export interface Draft {
  readonly kind: EntryKind;
  /** Local date and time; empty means "now". */
  readonly when: string;
  readonly volume: string;
  readonly volumeUnit: MeasureUnit;
  readonly temperature: string;
  readonly temperatureUnit: MeasureUnit;
  readonly scale: Schemas["Base"] | "";
  readonly form: Schemas["Form"];
  readonly product: string;
  readonly share: string;
  readonly factory: boolean;
  readonly meter: string;
  readonly meterUnit: MeasureUnit;
  readonly note: string;
}

/** What is wrong with a field, by JSON pointer into the entry. */
export type FieldErrors = Readonly<Record<string, string>>;

const unitsKey = "diligent.units";

/** The units this person used last, by dimension. */
function lastUnits(): Partial<Record<"volume" | "temperature" | "distance", MeasureUnit>> {
  try {
    return JSON.parse(localStorage.getItem(unitsKey) ?? "{}") as ReturnType<typeof lastUnits>;
  } catch {
    return {};
  }
}

export function rememberUnits(d: Draft) {
  const distance = d.meterUnit === "h" ? lastUnits().distance : d.meterUnit;
  localStorage.setItem(unitsKey, JSON.stringify({ volume: d.volumeUnit, temperature: d.temperatureUnit, distance }));
}

export function emptyDraft(kind: EntryKind, account: Account): Draft {
  const units = lastUnits();
  return {
    kind,
    when: "",
    volume: "",
    volumeUnit: units.volume ?? "L",
    temperature: "",
    temperatureUnit: units.temperature ?? "degC",
    scale: account.base ?? "",
    form: "water",
    product: account.product?.code ?? "",
    share: "50",
    factory: false,
    meter: "",
    meterUnit: account.meterUnit === "h" ? "h" : (units.distance ?? "km"),
    note: "",
  };
}

export const newId = () => uuidv7();

export const asLocalInput = (t: Date) => format(t, "yyyy-MM-dd'T'HH:mm");

/** A number as typed: a true minus or a hyphen, a comma or a point. */
function number(text: string): number | undefined {
  const plain = text.trim().replace("−", "-").replace(",", ".");
  return /^[+-]?(\d+\.?\d*|\.\d+)$/.test(plain) ? Number(plain) : undefined;
}

/** The draft as an entry, or what cannot be read in it; undefined while the main figure is still empty. */
export function toEntry(
  d: Draft,
  id: string,
  products: readonly Product[],
): { entry: EntryInput } | { errors: FieldErrors } | undefined {
  const errors: Record<string, string> = {};
  const reading = (pointer: string, text: string, unit: MeasureUnit): Schemas["Reading"] => {
    const value = number(text);
    if (value === undefined) errors[`${pointer}/value`] = `“${text}” is not a number; accepted: digits, such as 2.4`;
    return { value: value ?? 0, unit };
  };
  const at = d.when ? new Date(d.when) : new Date();
  if (Number.isNaN(at.getTime())) {
    return { errors: { "/at": `“${d.when}” is not a date and time` } };
  }
  const entry: EntryInput = { id, kind: d.kind, at: at.toISOString() };
  const chosen = products.find((p) => p.code === d.product);
  switch (d.kind) {
    case "fill": {
      if (!d.volume) return undefined;
      entry.fill = { volume: reading("/fill/volume", d.volume, d.volumeUnit), product: d.product };
      if (!d.product) errors["/fill/product"] = "no product chosen; choose what was poured in";
      if (chosen?.form === "concentrate") {
        const share = number(d.share);
        if (share === undefined) errors["/fill/share"] = `“${d.share}” is not a number; accepted: 1 to 100`;
        else entry.fill.share = share;
      }
      if (d.factory) entry.fill.factory = true;
      if (d.meter) entry.fill.meter = reading("/fill/meter", d.meter, d.meterUnit);
      break;
    }
    case "top_up":
      if (!d.volume) return undefined;
      entry.topUp = { volume: reading("/topUp/volume", d.volume, d.volumeUnit), with: d.form };
      if (d.form !== "water") {
        if (chosen?.form !== d.form) errors["/topUp/product"] = `no product chosen; choose a ${d.form}`;
        entry.topUp.product = d.product;
      }
      break;
    case "loss":
      if (!d.volume) return undefined;
      entry.loss = { volume: reading("/loss/volume", d.volume, d.volumeUnit), note: d.note || undefined };
      break;
    case "freeze_test":
      if (!d.temperature) return undefined;
      if (!d.scale) return { errors: { "/freezeTest/scale": "no scale chosen; the line was read on EG or on PG" } };
      entry.freezeTest = {
        temperature: reading("/freezeTest/temperature", d.temperature, d.temperatureUnit),
        instrument: "refractometer",
        scale: d.scale,
      };
      break;
    case "meter":
      if (!d.meter) return undefined;
      entry.meter = { meter: reading("/meter/meter", d.meter, d.meterUnit) };
      break;
  }
  return Object.keys(errors).length > 0 ? { errors } : { entry };
}
