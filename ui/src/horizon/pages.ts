import { type QueryClient, type UseQueryResult, keepPreviousData, useQueries, useQuery } from "@tanstack/react-query";
import { useMemo } from "react";
import { type Schemas, api } from "../api/client";
import { pageRows } from "./rows";
import { type Row, type View, filtersOf } from "./view";

type Horizon = Schemas["Horizon"];

/** Rows of a page for a file or a print. */
const most = 500;

/** An answer to a view that names what there is not. */
const nothing = (first: Horizon): Horizon => ({ ...first, count: 0, groups: [], rows: [] });

/** The first page of a view: counts, groups and sites, and its rows. */
export function useFirstPage(view: View) {
  const filters = useMemo(() => filtersOf(view), [view]);
  const first = useQuery({
    queryKey: ["horizon", filters ?? "none", 0],
    queryFn: ({ signal }) => api.horizon({ ...filters, offset: 0, limit: pageRows }, signal),
    select: (answer) => (filters ? answer : nothing(answer)),
    placeholderData: keepPreviousData,
  });
  return first;
}

function together(results: UseQueryResult<Horizon & { offset: number }>[]): ReadonlyMap<number, Row> {
  const rows = new Map<number, Row>();
  for (const { data } of results) data?.rows.forEach((row, i) => rows.set(data.offset + i, row));
  return rows;
}

/** The rows from one place to another, as their pages come; by place. */
export function useRows(view: View, first: Horizon | undefined, from: number, to: number): ReadonlyMap<number, Row> {
  const filters = useMemo(() => filtersOf(view), [view]);
  const pages = [];
  const last = Math.min(to, (first?.count ?? 0) - 1);
  for (let p = Math.max(1, Math.floor(from / pageRows)); filters && p * pageRows <= last; p++) {
    const offset = p * pageRows;
    pages.push({
      queryKey: ["horizon", filters, offset] as const,
      queryFn: async ({ signal }: { signal: AbortSignal }) => ({
        ...(await api.horizon({ ...filters, offset, limit: pageRows }, signal)),
        offset,
      }),
    });
  }
  const later = useQueries({ queries: pages, combine: together });
  return useMemo(() => {
    const rows = new Map(first?.rows.map((row, i) => [i, row] as const));
    for (const [place, row] of later) rows.set(place, row);
    return rows;
  }, [first?.rows, later]);
}

/** All rows of a view, for what is taken away: a file, a print. */
export async function allRows(view: View, client: QueryClient): Promise<Row[]> {
  const filters = filtersOf(view);
  const all: Row[] = [];
  if (!filters) return all;
  for (;;) {
    const offset = all.length;
    const page = await client.query({
      queryKey: ["horizon", filters, offset, most],
      queryFn: ({ signal }) => api.horizon({ ...filters, offset, limit: most }, signal),
      staleTime: 10_000,
    });
    all.push(...page.rows);
    if (page.rows.length < most) return all;
  }
}

/** The codes of all units of a view, those alone that run out in some days when they are given. */
export function allCodes(view: View, span?: { from: string; to: string }): Promise<string[]> {
  const filters = filtersOf(view);
  if (!filters) return Promise.resolve([]);
  return api.horizonUnits({ ...filters, ...(span && { dueFrom: span.from, dueTo: span.to }) });
}
