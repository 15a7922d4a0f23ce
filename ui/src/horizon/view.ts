import type { Clock, Schemas, Verdict } from "../api/client";
import type { paths } from "../api/schema.gen";

export type Row = Schemas["HorizonRow"];

export const sorts = {
  soonest: "soonest first",
  site: "by site",
  kind: "by kind",
  product: "by product",
  protection: "worst protection first",
} as const;

export const kinds: readonly Schemas["UnitKind"][] = ["car", "truck", "motorcycle", "boat", "aircraft"];

export const verdicts: readonly Verdict[] = ["hold", "overdue", "due", "watch", "unknown", "sound"];

export const zooms = { "3": "3 mo", "14": "14 mo", "36": "3 yr" } as const;

export const groups = { "": "not grouped", site: "grouped by site", kind: "grouped by kind" } as const;

/** Clocks without a place in time. */
type Untimed = "hold" | "findings" | "product" | "evaluation";

const withPlace: Record<Exclude<Clock["kind"], Untimed>, true> = {
  age: true,
  use: true,
  freeze: true,
  level: true,
  follow_up: true,
  test: true,
  cap: true,
  hoses: true,
  chemistry: true,
  zero: true,
  hose_age: true,
  strength: true,
  extender: true,
  filter: true,
  raw_water: true,
  impeller: true,
  anodes: true,
  heat_exchanger: true,
  anti_siphon: true,
  block_heater: true,
  inspection: true,
};

/** The clocks that have a place in time, in the order they are offered. */
export const timed = Object.keys(withPlace) as readonly (keyof typeof withPlace)[];

/** The clock that governs a unit: each has one, if only that it is not evaluated yet. */
export function governingOf(row: Row): Clock {
  const first = row.clocks[0];
  if (!first) throw new Error(`${row.unit.code} has no clock`);
  return first;
}

/** What is drawn of a clock. */
export type Drawn = Pick<Clock, "kind" | "due" | "window" | "circuit" | "unit">;

/** The clocks of a row that have a place in time. */
export const timedClocks = <C extends Drawn>(clocks: readonly C[]) =>
  clocks.filter((c) => c.kind !== "hold" && c.due !== undefined);

/** What the address says of the view. */
export interface View {
  readonly sort: keyof typeof sorts;
  readonly zoom: keyof typeof zooms;
  readonly group: keyof typeof groups;
  readonly kind: string;
  readonly site: string;
  readonly verdict: string;
  readonly clock: string;
  readonly text: string;
  readonly table: boolean;
}

function one<T extends string>(asked: string | null, of: Record<T, string>, usual: T): T {
  return asked !== null && Object.hasOwn(of, asked) ? (asked as T) : usual;
}

export function viewOf(query: URLSearchParams): View {
  const refusalOf = (name: string) => query.get(name) ?? "";
  return {
    sort: one(query.get("sort"), sorts, "soonest"),
    zoom: one(query.get("zoom"), zooms, "14"),
    group: one(query.get("group"), groups, ""),
    kind: refusalOf("kind"),
    site: refusalOf("site"),
    verdict: refusalOf("verdict"),
    clock: refusalOf("clock"),
    text: refusalOf("text"),
    table: query.get("view") === "table",
  };
}

/** A line of the page: the head of a group with how many units follow, or a unit by its place among the units. */
export type Item = { readonly head: string; readonly count: number } | { readonly place: number };

/** How many lines the groups of an answer take, heads included. */
export const lineCount = (groups: readonly Group[]) =>
  groups.reduce((sum, g) => sum + g.count + (g.head === "" ? 0 : 1), 0);

type Group = Schemas["HorizonGroup"];

/** How many units come before a line. */
export function placeAt(groups: readonly Group[], line: number): number {
  const item = itemAt(groups, line);
  if (!item) return groups.reduce((sum, g) => sum + g.count, 0);
  if ("place" in item) return item.place;
  return placeAt(groups, line + 1);
}

/** The line of a unit by its place among the units. */
export function lineAt(groups: readonly Group[], place: number): number {
  let before = 0;
  let line = place;
  for (const g of groups) {
    if (g.head !== "") line++;
    before += g.count;
    if (place < before) break;
  }
  return line;
}

/** The content of a line. */
export function itemAt(groups: readonly Group[], line: number): Item | undefined {
  let place = 0;
  let left = line;
  for (const g of groups) {
    if (g.head !== "") {
      if (left === 0) return g;
      left--;
    }
    if (left < g.count) return { place: place + left };
    left -= g.count;
    place += g.count;
  }
  return undefined;
}

type Filters = NonNullable<paths["/api/v1/horizon"]["get"]["parameters"]["query"]>;

/** What is asked of the server for a view; undefined when its address names what there is not. */
export function filtersOf(view: View): Filters | undefined {
  const { kind, verdict, clock } = view;
  if (kind !== "" && !isKind(kind)) return undefined;
  if (verdict !== "" && !isVerdict(verdict)) return undefined;
  if (clock !== "" && !isClock(clock)) return undefined;
  return {
    sort: view.sort,
    ...(view.group && { group: view.group }),
    ...(kind && { kind }),
    ...(view.site && { site: view.site }),
    ...(verdict && { verdict }),
    ...(clock && { clock }),
    ...(view.text.trim() && { text: view.text.trim() }),
  };
}

const isKind = (text: string): text is Schemas["UnitKind"] => (kinds as readonly string[]).includes(text);
const isVerdict = (text: string): text is Verdict => (verdicts as readonly string[]).includes(text);
const isClock = (text: string): text is Clock["kind"] => (timed as readonly string[]).includes(text);
