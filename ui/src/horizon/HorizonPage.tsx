import { useQueryClient } from "@tanstack/react-query";
import { useMemo, useState } from "react";
import { flushSync } from "react-dom";
import { useSearchParams } from "react-router";
import { SelectField, TextField } from "../account/fields";
import { Frame } from "../frame/Frame";
import type { Key } from "../frame/keys";
import { Failed, Waiting } from "../frame/State";
import { celsius, figure, longDay } from "../words/figures";
import { clockNames, verdictWords } from "../words/names";
import { HorizonDrawing } from "./HorizonDrawing";
import { HorizonTable, downloadHorizon } from "./HorizonTable";
import { allRows, useFirstPage, useRows } from "./pages";
import { TakeAlong } from "../frame/TakeAlong";
import { useSettled } from "../frame/settled";
import { usePerson } from "../people/session";
import { PickBar } from "./PickBar";
import { usePicking } from "./picking";
import { type Row, type View, groups, kinds, sorts, timed, verdicts, viewOf, zooms } from "./view";

/** The whole fleet's year: every unit a line, time to the right. The view's state is its address. */
export function HorizonPage() {
  const [query, setQuery] = useSearchParams();
  const address = query.toString();
  const view = useMemo(() => viewOf(new URLSearchParams(address)), [address]);
  // The text is asked for once it has stood still.
  const asked = useSettled(view.text);
  const settled = useMemo(() => ({ ...view, text: asked }), [view, asked]);
  const horizon = useFirstPage(settled);
  const data = horizon.data;
  const [text, setText] = useState(view.text);
  const [filtering, setFiltering] = useState(false);
  const change = (part: Partial<Record<keyof View | "view", string>>) =>
    setQuery(
      (before) => {
        const next = new URLSearchParams(before);
        for (const [name, value] of Object.entries(part)) {
          if (value) next.set(name, value);
          else next.delete(name);
        }
        return next;
      },
      { replace: true },
    );
  const keys = useMemo<Key[]>(() => {
    const order = Object.keys(zooms);
    const step = (by: number) => () =>
      setQuery(
        (before) => {
          const next = new URLSearchParams(before);
          const at = order.indexOf(before.get("zoom") ?? "14");
          next.set("zoom", order[Math.max(0, Math.min(order.length - 1, at + by))] ?? "14");
          return next;
        },
        { replace: true },
      );
    return [
      { key: "+", does: "nearer", run: step(-1) },
      { key: "-", does: "further", run: step(1) },
    ];
  }, [setQuery]);
  const coordinator = usePerson().role === "coordinator";
  const [sight, setSight] = useState<readonly [number, number]>([0, 0]);
  const rows = useRows(settled, data, sight[0], sight[1]);
  const picking = usePicking(settled, rows);
  const queries = useQueryClient();
  const [all, setAll] = useState<readonly Row[]>();
  const coldest = data?.sites.toSorted((a, b) => a.coldest - b.coldest)[0];
  const head = data && (
    <>
      {longDay(data.today)}
      {coldest && ` · the coldest nights are those of ${coldest.name}, ${celsius(coldest.coldest)}`}
    </>
  );
  return (
    <Frame title="Horizon" head={head} here="horizon" keys={keys}>
      {horizon.isPending && <Waiting what="the year ahead" />}
      {horizon.error && <Failed error={horizon.error} again={() => void horizon.refetch()} />}
      {data?.total === 0 && <p className="wait">No unit is in the register yet.</p>}
      {data && data.total > 0 && (
        // The drawing takes what the window leaves, however much is above it.
        <div className={view.table ? "horizon" : "horizon drawn"}>
          <div className="filters no-print">
            <span data-testid="count" className="count">
              {data.count === data.total ? figure(data.count) : `${figure(data.count)} of ${figure(data.total)}`} units
            </span>
            <button
              type="button"
              className="act to-lg-down"
              aria-expanded={filtering}
              onClick={() => setFiltering(!filtering)}
            >
              {filtering ? "close" : "order and filters"}
            </button>
            <div className={filtering ? "filters open" : "filters wide"}>
              <Choice
                label="order"
                width="176px"
                value={view.sort}
                options={Object.entries(sorts)}
                onChange={(sort) => change({ sort })}
              />
              <Choice
                label="groups"
                width="152px"
                value={view.group}
                options={Object.entries(groups)}
                onChange={(group) => change({ group })}
              />
              <Choice
                label="kinds shown"
                width="120px"
                value={view.kind}
                options={[["", "all kinds"], ...kinds.map((k) => [k, k] as const)]}
                onChange={(kind) => change({ kind })}
              />
              <Choice
                label="sites shown"
                width="138px"
                value={view.site}
                options={[["", "all sites"], ...data.sites.map((s) => [s.name, s.name] as const)]}
                onChange={(site) => change({ site })}
              />
              <Choice
                label="verdicts shown"
                width="136px"
                value={view.verdict}
                options={[["", "any verdict"], ...verdictOptions(data.counts)]}
                onChange={(verdict) => change({ verdict })}
              />
              <Choice
                label="governing clock"
                width="128px"
                value={view.clock}
                options={[["", "any clock"], ...timed.map((c) => [c, clockNames[c].toLowerCase()] as const)]}
                onChange={(clock) => change({ clock })}
              />
              <TextField
                label="unit or product"
                hidden
                placeholder="unit, product"
                width="120px"
                value={text}
                onChange={(t) => {
                  setText(t);
                  change({ text: t });
                }}
              />
            </div>
          </div>
          <div className="filters top no-print">
            {coordinator && <PickBar open={filtering} view={settled} picking={picking} today={data.today} />}
            <div className="end">
              <span className="end" role="group" aria-label="how far ahead">
                {Object.entries(zooms).map(([zoom, words]) => (
                  <button
                    type="button"
                    key={zoom}
                    className={view.zoom === zoom ? "act plain strong" : "act plain"}
                    aria-pressed={view.zoom === zoom}
                    onClick={() => change({ zoom })}
                  >
                    {words}
                  </button>
                ))}
              </span>
              <button type="button" className="act" onClick={() => change({ view: view.table ? "" : "table" })}>
                {view.table ? "drawing" : "table"}
              </button>
              <TakeAlong
                what="these units"
                file={async (as) => downloadHorizon(as, await allRows(settled, queries), data.today)}
                print={async () => {
                  const rows = await allRows(settled, queries);
                  flushSync(() => setAll(rows));
                  window.print();
                }}
              />
            </div>
          </div>
          {data.count === 0 && <p className="wait">No unit matches. Remove a filter.</p>}
          {data.count > 0 &&
            (view.table ? (
              <HorizonTable rows={all ?? rows} count={data.count} onSight={setSight} />
            ) : (
              <HorizonDrawing
                horizon={data}
                rows={rows}
                onSight={setSight}
                months={Number(view.zoom)}
                picking={coordinator ? picking : undefined}
                all={all}
              />
            ))}
        </div>
      )}
    </Frame>
  );
}

function verdictOptions(counts: Readonly<Record<string, number>>): [string, string][] {
  return verdicts.map((v) => [v, `${verdictWords[v]} (${figure(counts[v] ?? 0)})`]);
}

function Choice(p: {
  label: string;
  width: string;
  value: string;
  options: readonly (readonly [string, string])[];
  onChange: (value: string) => void;
}) {
  // An address may ask for what there is not, or no longer: then that is shown here.
  const known = p.options.some(([value]) => value === p.value);
  const options = known ? p.options : [...p.options, [p.value, p.value] as const];
  return <SelectField {...p} options={options} hidden />;
}
