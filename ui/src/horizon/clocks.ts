import { type QueryClient, type UseQueryResult, useQueries } from "@tanstack/react-query";
import { type Clock, type Schemas, api } from "../api/client";
import { type Item, type Row, rowsOf } from "./view";

/** All the clocks of some units, by their codes, the governing one first. */
export type Clocks = ReadonlyMap<string, readonly Clock[]>;

/** So many lines are asked for at a time, those in sight and the rest of their block. */
const block = 100;
/** So many units may be asked for at once. */
const most = 500;

const asked = (units: readonly string[]) => ({
  queryKey: ["horizon", "clocks", units] as const,
  queryFn: ({ signal }: { signal: AbortSignal }) => api.clocks([...units], signal),
  staleTime: 60_000,
});

function together(results: UseQueryResult<Schemas["UnitClocks"][]>[]): Clocks {
  return new Map(results.flatMap((r) => (r.data ?? []).map((u) => [u.unit, u.clocks] as const)));
}

/** The clocks of the lines from one index to another, as they come. */
export function useClocks(items: readonly Item[], from: number, to: number): Clocks {
  const queries = [];
  for (let b = Math.floor(from / block); b * block <= to && b * block < items.length; b++) {
    const units = rowsOf(items.slice(b * block, (b + 1) * block)).map((r) => r.unit.code);
    if (units.length > 0) queries.push(asked(units));
  }
  return useQueries({ queries, combine: together });
}

/** The clocks of all rows, for what is taken away: a file, a print. */
export async function allClocks(rows: readonly Row[], client: QueryClient): Promise<Clocks> {
  const all = new Map<string, readonly Clock[]>();
  for (let i = 0; i < rows.length; i += most) {
    const units = rows.slice(i, i + most).map((r) => r.unit.code);
    for (const u of await client.query(asked(units))) all.set(u.unit, u.clocks);
  }
  return all;
}
