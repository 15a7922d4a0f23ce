import { v7 as uuidv7 } from "uuid";
import { unread } from "./DateField";
import type { Account, EntryInput, EntryKind, MeasureUnit, Product, Schemas } from "../api/client";
import { type FieldSpec, fieldsOf } from "./kinds";
import { asTyped, typedNumbers } from "../words/figures";

/** An entry as it is being typed: text by field, such as "volume", "volume.unit" or "hoses.upper.state". */
export interface Draft {
  readonly kind: EntryKind;
  /** Local date and time; empty means "now". */
  readonly when: string;
  readonly values: Readonly<Record<string, string>>;
  /** What the server asked about has been confirmed. */
  readonly confirmed?: boolean;
  /** The entry this one takes the place of, and why. */
  readonly strikes?: string;
  readonly why: string;
}

/** What is wrong with a field, by JSON pointer into the entry. */
export type FieldErrors = Readonly<Record<string, string>>;

const unitsKey = "diligent.units";

/** The unit this person used last for a field that offers these. */
export function lastUnit(units: readonly MeasureUnit[]): MeasureUnit {
  const used = lastUnits();
  return units.find((u) => used.includes(u)) ?? units[0] ?? "L";
}

function lastUnits(): string[] {
  const kept = localStorage.getItem(unitsKey);
  try {
    const list: unknown = JSON.parse(kept ?? "[]");
    return Array.isArray(list) ? list.map(String) : [];
  } catch {
    return [];
  }
}

export function rememberUnits(d: Draft) {
  const used = Object.entries(d.values)
    .filter(([name, value]) => name.endsWith(".unit") && value)
    .map(([, value]) => value);
  localStorage.setItem(unitsKey, JSON.stringify([...new Set([...used, ...lastUnits()])].slice(0, 20)));
}

export const newId = () => uuidv7();

/** The contract's name of a kind's content: freezeTest of freeze_test. */
export const bodyName = (kind: EntryKind) =>
  kind.replaceAll(/_(\w)/g, (_, c: string) => c.toUpperCase()) as keyof Schemas["EntryBody"];

/** What a field says so far: what was typed, else where it begins. */
export function valuesOf(draft: Draft, account: Account, products: readonly Product[]) {
  const values = (name: string): string => {
    const typed = draft.values[name];
    if (typed !== undefined) return typed;
    if (name === "product") return likelyProduct(draft, account, products);
    if (name === "scale") return account.base ?? "";
    if (name === "nitriteAs") return "NO2";
    if (name === "molybdateAs") return "MoO4";
    if (name === "with") return "premix";
    if (name === "history") return "unknown";
    return "";
  };
  return values;
}

/** The product inside, or the one of its make in the wanted form. */
function likelyProduct(draft: Draft, account: Account, products: readonly Product[]): string {
  const inside = account.product;
  if (!inside) return "";
  const wanted = draft.kind === "top_up" ? (draft.values.with ?? "premix") : inside.form;
  if (inside.form === wanted) return inside.code;
  const alike = products.find((p) => p.form === wanted && p.base === inside.base && p.technology === inside.technology);
  return alike?.code ?? "";
}

export function specOf(draft: Draft, account: Account, products: readonly Product[]): FieldSpec[] {
  const form = (code: string) => products.find((p) => p.code === code)?.form ?? "";
  return fieldsOf(draft.kind, account, valuesOf(draft, account, products), form);
}

type Value = string | number | boolean | Value[] | { [name: string]: Value };

interface Reader {
  at: (name: string) => string;
  errors: Record<string, string>;
  /** Labels of the fields that must be filled in and are empty. */
  missing: string[];
}

/**
 * The draft as an entry, or what cannot be read in it, or what is still empty and needed.
 * Numbers go as they were typed: the server reads them.
 */
export function toEntry(
  draft: Draft,
  ids: { entry: string; strike: string; at: Date },
  account: Account,
  products: readonly Product[],
): { entry: EntryInput } | { errors: FieldErrors } | { missing: readonly string[] } {
  if (draft.when === unread) return { missing: ["when"] };
  const at = draft.when ? new Date(draft.when) : ids.at;
  const values = valuesOf(draft, account, products);
  const reader: Reader = { at: values, errors: {}, missing: [] };
  const name = bodyName(draft.kind);
  const body = readAll(specOf(draft, account, products), reader, "", `/${name}`);
  // An entry that says nothing is none, but for those that are an event by themselves.
  if (
    Object.keys(body).length === 0 &&
    draft.kind !== "lay_up" &&
    draft.kind !== "return" &&
    reader.missing.length === 0
  )
    reader.missing.push("what was found");
  // The share of blocked fins is on the line of the fins.
  if (draft.kind === "inspection") placeBlocked(body, reader);
  const entry = {
    id: ids.entry,
    kind: draft.kind,
    at: at.toISOString(),
    ...typedNumbers(),
    [name]: body,
  } as EntryInput;
  if (draft.confirmed) entry.confirmed = true;
  const report = values("attachments").trim();
  if (report) entry.attachments = [report];
  if (draft.strikes) {
    if (draft.why.trim() === "") reader.missing.push("why the old line is struck");
    entry.strikes = { id: ids.strike, entry: draft.strikes, why: draft.why.trim() };
  }
  if (Object.keys(reader.errors).length > 0) return { errors: reader.errors };
  return reader.missing.length > 0 ? { missing: reader.missing } : { entry };
}

function placeBlocked(body: Record<string, Value>, reader: Reader) {
  const blocked = body.blocked;
  delete body.blocked;
  if (blocked === undefined) return;
  const points = Array.isArray(body.points) ? body.points : [];
  const fins = points.find(
    (p): p is Record<string, Value> => typeof p === "object" && !Array.isArray(p) && p.point === "fins",
  );
  if (fins) fins.blocked = blocked;
  else points.push({ point: "fins", blocked });
  body.points = points;
  reader.missing = [];
}

function readAll(specs: readonly FieldSpec[], r: Reader, prefix: string, pointer: string): Record<string, Value> {
  const body: Record<string, Value> = {};
  for (const f of specs) {
    const value = readField(f, r, prefix + f.name, `${pointer}/${f.name}`);
    if (value !== undefined) body[f.name] = value;
  }
  return body;
}

function readField(f: FieldSpec, r: Reader, name: string, pointer: string): Value | undefined {
  const text = r.at(name).trim();
  switch (f.type) {
    case "reading": {
      if (!text) return needed(f, r);
      return { value: text, unit: r.at(`${name}.unit`) || lastUnit(f.units) };
    }
    case "number": {
      const typed = text || (f.initial ?? "");
      return typed || needed(f, r);
    }
    case "numbers":
      return (text || (f.initial ?? "")).split(/[;,]\s*|\s+/).filter(Boolean);
    case "choice": {
      const chosen = text || (f.initial ?? "");
      if (chosen !== "" && chosen === f.none) return undefined;
      return chosen
        ? chosen
        : needed({ label: f.label, optional: f.optional === true || f.options.some(([v]) => v === "") }, r);
    }
    case "yesno":
      return text === "" ? undefined : text === "yes";
    case "check":
      return text === "yes" ? true : undefined;
    case "report":
      return undefined;
    case "date":
      if (text === unread) return needed({ label: f.label }, r);
      return text ? text : needed(f, r);
    case "text":
    case "line":
      return text ? text : needed({ label: f.label, optional: f.type === "text" && f.optional === true }, r);
    case "additive":
      return text || needed({ label: f.kind === "filter" ? "filter" : "additive" }, r);
    case "product":
      if (text) return text;
      if (!f.optional) r.errors[pointer] = "no product chosen; choose what was poured in";
      return undefined;
    case "points": {
      const chosen = f.keys.filter((key) => r.at(`${name}.${key}`) === "yes");
      return chosen.length > 0 ? chosen : undefined;
    }
    case "words": {
      const words = text
        .split(",")
        .map((w) => w.trim())
        .filter(Boolean);
      return words.length > 0 ? words : undefined;
    }
    case "lines":
    case "named": {
      const items = rowsOf(f).flatMap((row) => {
        const key = f.type === "lines" ? row : r.at(`${name}.${row}.${f.key}`).trim();
        const inner: Reader = { ...r, missing: [] };
        const item = readAll(f.columns, inner, `${name}.${row}.`, `${pointer}/${row}`);
        return Object.keys(item).length > 0 ? [{ [f.key]: key || "unnamed", ...item }] : [];
      });
      if (items.length === 0) return f.name === "drained" || f.type === "named" ? undefined : needed(f, r);
      return items;
    }
  }
}

/** The rows a list of lines is typed in, by name. */
export const rowsOf = (f: Extract<FieldSpec, { type: "lines" | "named" }>): readonly string[] =>
  f.type === "lines" ? f.keys : Array.from({ length: f.rows }, (_, i) => String(i));

function needed(f: { optional?: boolean; label: string }, r: Reader): Value | undefined {
  if (!f.optional) r.missing.push(f.label);
  return undefined;
}

/** A stored body as text by field, to be typed over. */
export function valuesFrom(body: Record<string, unknown>, prefix = ""): Record<string, string> {
  const values: Record<string, string> = {};
  for (const [name, value] of Object.entries(body)) {
    const at = prefix + name;
    if (typeof value === "string") values[at] = value;
    else if (typeof value === "number") values[at] = asTyped(value);
    else if (typeof value === "boolean") values[at] = value ? "yes" : "no";
    else if (at === "opened" && Array.isArray(value))
      for (const point of value) values[`${at}.${String(point)}`] = "yes";
    else if (Array.isArray(value)) Object.assign(values, listValues(at, value));
    else if (isRecord(value)) {
      if ("unit" in value && "value" in value) {
        values[at] = typeof value.value === "number" ? asTyped(value.value) : String(value.value);
        values[`${at}.unit`] = String(value.unit);
      } else Object.assign(values, valuesFrom(value, `${at}.`));
    }
  }
  return values;
}

const isRecord = (v: unknown): v is Record<string, unknown> => typeof v === "object" && v !== null && !Array.isArray(v);

function listValues(at: string, list: readonly unknown[]): Record<string, string> {
  const values: Record<string, string> = {};
  const plain = list.filter((v) => typeof v === "string" || typeof v === "number");
  if (plain.length > 0) return { [at]: plain.join(", ") };
  list.filter(isRecord).forEach((item, i) => {
    // The key of a line names its row; lines that name themselves are numbered.
    const key = [item.point, item.hose].find((k): k is string => typeof k === "string");
    if (typeof item.blocked === "number") values.blocked = asTyped(item.blocked);
    Object.assign(values, valuesFrom(item, `${at}.${key ?? String(i)}.`));
  });
  return values;
}

/** A pointer into a list, which counts its items, as the form has it, which names its rows. */
export function rowPointer(pointer: string, entry: EntryInput | undefined): string {
  const match = /^\/(\w+)\/(\w+)\/(\d+)(.*)$/.exec(pointer);
  if (!match || !entry) return pointer;
  const [, body = "", list = "", index = "", rest = ""] = match;
  const content: unknown = entry[body as keyof EntryInput];
  const items = isRecord(content) ? content[list] : undefined;
  const item: unknown = Array.isArray(items) ? items[Number(index)] : undefined;
  if (!isRecord(item)) return pointer;
  const key = [item.point, item.hose].find((k): k is string => typeof k === "string");
  // An error of the key itself is shown beside its value.
  const at = rest === "/point" || rest === "/hose" ? "/state" : rest;
  return key ? `/${body}/${list}/${key}${at}` : pointer;
}
