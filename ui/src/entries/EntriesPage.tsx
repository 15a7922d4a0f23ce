import { useInfiniteQuery, useQuery } from "@tanstack/react-query";
import { useMemo, useState } from "react";
import { flushSync } from "react-dom";
import { Link as RouterLink, useSearchParams } from "react-router";
import { DateField, unread } from "../account/DateField";
import { SelectField } from "../account/fields";
import { type EntriesQuery, type Schemas, api } from "../api/client";
import { Frame } from "../frame/Frame";
import { Failed, Waiting } from "../frame/State";
import { TakeAlong } from "../frame/TakeAlong";
import { TypedFilter } from "../frame/TypedFilter";
import { download } from "../words/csv";
import { dayMinute, longDay } from "../words/figures";
import { kindNames } from "../words/names";

type Entry = Schemas["WrittenEntry"];

/** Entries of a page, and of a file or a print, at a time. */
const pageful = 100;
const most = 500;

const names = ["from", "to", "writer", "unit", "kind", "site", "struck"] as const;

/** The filters of an address. */
function filtersOf(query: URLSearchParams): EntriesQuery {
  const of: Record<string, string | boolean> = {};
  for (const name of names) {
    const value = query.get(name);
    if (value) of[name] = name === "struck" ? value === "true" : value;
  }
  return of;
}

/** All entries that a filter takes, page by page. */
async function all(filters: EntriesQuery): Promise<Entry[]> {
  const found: Entry[] = [];
  for (;;) {
    const before = found.at(-1)?.id;
    const page = await api.entries({ ...filters, ...(before !== undefined && { before }), limit: most });
    found.push(...page);
    if (page.length < most) return found;
  }
}

/** What was recorded in all accounts, the entry recorded last first. The filters are the address. */
export function EntriesPage() {
  const [query, setQuery] = useSearchParams();
  const address = query.toString();
  const filters = useMemo(() => filtersOf(new URLSearchParams(address)), [address]);
  const entries = useInfiniteQuery({
    queryKey: ["entries", filters],
    queryFn: ({ signal, pageParam }) =>
      api.entries({ ...filters, ...(pageParam !== "" && { before: pageParam }), limit: pageful }, signal),
    initialPageParam: "",
    getNextPageParam: (last) => (last.length === pageful ? last.at(-1)?.id : undefined),
    placeholderData: (before) => before,
  });
  const [filtering, setFiltering] = useState(false);
  const [whole, setWhole] = useState<readonly Entry[]>();
  const change = (name: (typeof names)[number], value: string) => {
    setWhole(undefined);
    setQuery(
      (before) => {
        const next = new URLSearchParams(before);
        if (value) next.set(name, value);
        else next.delete(name);
        return next;
      },
      { replace: true },
    );
  };
  const rows = whole ?? entries.data?.pages.flat() ?? [];
  const print = async () => {
    const found = await all(filters);
    flushSync(() => setWhole(found));
    window.print();
  };
  return (
    <Frame title="Entries" head="what was recorded in all accounts" here="entries">
      <div className="filters no-print">
        <button
          type="button"
          className="act to-lg-down"
          aria-expanded={filtering}
          onClick={() => setFiltering(!filtering)}
        >
          {filtering ? "close" : "filters"}
        </button>
        <Filters open={filtering} query={query} change={change} />
      </div>
      <div className="filters top no-print">
        {names.some((n) => query.get(n)) && (
          <button type="button" className="act" onClick={() => setQuery({}, { replace: true })}>
            remove all filters
          </button>
        )}
        <TakeAlong
          what="these entries"
          file={async (as) => download(as, "entries", heads, (await all(filters)).map(cells))}
          print={print}
        />
      </div>
      {entries.isPending && <Waiting what="the entries" />}
      {entries.error && <Failed error={entries.error} again={() => void entries.refetch()} />}
      {entries.data && rows.length === 0 && <p className="wait">No entry matches. Remove a filter.</p>}
      {rows.length > 0 && (
        <div className="scrolled sheet-wide" tabIndex={0} role="region" aria-label="Entries in a table">
          <table className="rows stacked" aria-label="Entries">
            <thead>
              <tr>
                {["recorded", "by", "unit", "site", "happened", "entry"].map((h) => (
                  <th key={h}>{h}</th>
                ))}
              </tr>
            </thead>
            <tbody>
              {rows.map((e) => (
                <Line key={e.id} entry={e} />
              ))}
            </tbody>
          </table>
        </div>
      )}
      {entries.hasNextPage && whole === undefined && (
        <button
          type="button"
          className="act no-print"
          disabled={entries.isFetchingNextPage}
          onClick={() => void entries.fetchNextPage()}
        >
          show older entries
        </button>
      )}
    </Frame>
  );
}

function Filters(p: {
  open: boolean;
  query: URLSearchParams;
  change: (name: (typeof names)[number], value: string) => void;
}) {
  const sites = useQuery({ queryKey: ["sites"], queryFn: ({ signal }) => api.sites(signal) });
  const of = (name: (typeof names)[number]) => p.query.get(name) ?? "";
  return (
    <div className={p.open ? "filters open" : "filters wide"} role="group" aria-label="Filters">
      {(["from", "to"] as const).map((name) => (
        <DateField
          key={name}
          label={`recorded ${name}`}
          value={of(name)}
          placeholder="any day"
          onChange={(value) => value !== unread && p.change(name, value)}
        />
      ))}
      <TypedFilter label="recorded by" value={of("writer")} onChange={(v) => p.change("writer", v)} />
      <TypedFilter label="unit" value={of("unit")} width="100px" onChange={(v) => p.change("unit", v)} />
      <SelectField
        label="kind"
        width="170px"
        value={of("kind")}
        options={[["", "any kind"], ...Object.entries(kindNames)]}
        onChange={(kind) => p.change("kind", kind)}
      />
      <SelectField
        label="site"
        width="150px"
        value={of("site")}
        options={[["", "all sites"], ...(sites.data ?? []).map((s) => [s.name, s.name] as const)]}
        onChange={(site) => p.change("site", site)}
      />
      <SelectField
        label="struck or not"
        width="150px"
        value={of("struck")}
        options={[
          ["", "both"],
          ["true", "struck"],
          ["false", "not struck"],
        ]}
        onChange={(struck) => p.change("struck", struck)}
      />
    </div>
  );
}

function Line({ entry }: { entry: Entry }) {
  const { unit, struck } = entry;
  return (
    <tr data-entry={entry.id} data-struck={struck ? "" : undefined}>
      <td className="figures tight">{dayMinute(entry.recordedAt)}</td>
      <td className="tight">{entry.recordedBy}</td>
      <td className="figures tight">
        <RouterLink className="code" to={`/units/${encodeURIComponent(unit.code)}`} title={unit.name}>
          {unit.code}
        </RouterLink>
      </td>
      <td className="tight optional">{unit.site}</td>
      <td className="figures tight optional">{dayMinute(entry.at)}</td>
      <td className="entry">
        <b>{kindNames[entry.kind]}</b> {struck ? <del className="faint">{entry.text}</del> : entry.text}
        {struck && (
          <span className="faint">
            {" "}
            struck by {struck.by} on {longDay(struck.at)}: {struck.why}
          </span>
        )}
      </td>
    </tr>
  );
}

const heads = [
  "recorded at",
  "recorded by",
  "unit",
  "name",
  "site",
  "happened at",
  "kind",
  "entry",
  "struck by",
  "struck at",
  "why struck",
  "id",
];

const cells = (e: Entry) => [
  e.recordedAt,
  e.recordedBy,
  e.unit.code,
  e.unit.name,
  e.unit.site,
  e.at,
  kindNames[e.kind],
  e.text,
  e.struck?.by,
  e.struck?.at,
  e.struck?.why,
  e.id,
];
