import type { Clock, Schemas, Verdict } from "../api/client";

export type Row = Schemas["HorizonRow"];

export const sorts = {
  soonest: "soonest first",
  site: "by site",
  kind: "by kind",
  product: "by product",
  protection: "worst protection first",
} as const;

/** The rows among the items, in their order. */
export const rowsOf = (items: readonly Item[]) => items.flatMap((i) => ("row" in i ? [i.row] : []));

export const zooms = { "3": "3 mo", "14": "14 mo", "36": "3 yr" } as const;

export const groups = { "": "not grouped", site: "grouped by site", kind: "grouped by kind" } as const;

/** The clocks that have a place in time, in the order they are offered. */
export const timed: readonly Clock["kind"][] = [
  "age",
  "use",
  "freeze",
  "level",
  "follow_up",
  "test",
  "cap",
  "hoses",
  "chemistry",
  "zero",
  "hose_age",
];

/** What is drawn of a clock. */
export type Drawn = Pick<Clock, "kind" | "due" | "window">;

/** The clocks of a row that have a place in time. */
export const timedClocks = <C extends Drawn>(clocks: readonly C[]) =>
  clocks.filter((c) => timed.includes(c.kind) && c.due !== undefined);

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
  const said = (name: string) => query.get(name) ?? "";
  return {
    sort: one(query.get("sort"), sorts, "soonest"),
    zoom: one(query.get("zoom"), zooms, "14"),
    group: one(query.get("group"), groups, ""),
    kind: said("kind"),
    site: said("site"),
    verdict: said("verdict"),
    clock: said("clock"),
    text: said("text"),
    table: query.get("view") === "table",
  };
}

/** A line of the page: a unit, or the head of a group with how many units follow. */
export type Item = { readonly row: Row } | { readonly head: string; readonly count: number };

/** The rows of a view in its order, with the heads of its groups. The server has put the soonest first. */
export function itemsOf(rows: readonly Row[], view: View): { items: Item[]; count: number } {
  const wanted = rows.filter((r) => shown(r, view));
  const by: Partial<Record<View["sort"], (r: Row) => string>> = {
    site: (r) => r.unit.site,
    kind: (r) => r.unit.kind,
    product: (r) => r.product ?? "~",
  };
  const key = by[view.sort];
  if (key) wanted.sort((a, b) => key(a).localeCompare(key(b)));
  if (view.sort === "protection") wanted.sort((a, b) => (b.protectsTo ?? 99) - (a.protectsTo ?? 99));
  if (view.group === "") return { items: wanted.map((row) => ({ row })), count: wanted.length };
  const group = view.group;
  const bins = new Map<string, Row[]>();
  for (const r of wanted) {
    const name = r.unit[group];
    const bin = bins.get(name);
    if (bin) bin.push(r);
    else bins.set(name, [r]);
  }
  const items = [...bins]
    .sort(([a], [b]) => a.localeCompare(b))
    .flatMap(([head, bin]): Item[] => [{ head, count: bin.length }, ...bin.map((row) => ({ row }))]);
  return { items, count: wanted.length };
}

function shown(r: Row, view: View): boolean {
  const text = view.text.trim().toLowerCase();
  return (
    (view.kind === "" || r.unit.kind === view.kind) &&
    (view.site === "" || r.unit.site === view.site) &&
    (view.verdict === "" || r.verdict === view.verdict) &&
    (view.clock === "" || r.governing.kind === view.clock) &&
    (text === "" || `${r.unit.code} ${r.unit.name} ${r.product ?? ""}`.toLowerCase().includes(text))
  );
}

/** How many units stand at each verdict, for the filter. */
export function countVerdicts(rows: readonly Row[]): Map<Verdict, number> {
  const counts = new Map<Verdict, number>();
  for (const r of rows) counts.set(r.verdict, (counts.get(r.verdict) ?? 0) + 1);
  return counts;
}
