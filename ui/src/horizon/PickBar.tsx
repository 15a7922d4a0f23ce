import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useMemo } from "react";
import { Link as RouterLink } from "react-router";
import { DateField, unread } from "../account/DateField";
import { api } from "../api/client";
import { figure, longDay } from "../words/figures";
import { allCodes } from "./pages";
import type { Picking } from "./picking";
import { type View, filtersOf } from "./view";

/** A span of days, both included. */
export interface DaySpan {
  readonly from: string;
  readonly to: string;
}

/** Why a span picks nothing; undefined when it can be meant. */
export function notMeant({ from, to }: DaySpan): string | undefined {
  if (from === unread || to === unread) return " "; // its field says why
  if (from === "" || to === "") return `${from === "" ? "from" : "to"}: no day is given; accepted: a day`;
  return to < from ? `to: ${longDay(to)} is not accepted; accepted: ${longDay(from)} or later` : undefined;
}

const units = (n: number) => `${figure(n)} ${n === 1 ? "unit" : "units"}`;

/**
 * What is picked, and what becomes of it. A span picks what most likely runs out in it.
 * On a phone or tablet the span has its place among the filters, and the rest is here once something is picked.
 */
export function PickBar({
  open,
  view,
  picking,
  today,
}: {
  open: boolean;
  view: View;
  picking: Picking;
  today: string;
}) {
  const queries = useQueryClient();
  const p = { ...picking, open, today, onPick: picking.set };
  const wrong = p.span && notMeant(p.span);
  const filters = filtersOf(view);
  // What is picked and left out by a filter that was set since.
  const shown = useQuery({
    queryKey: ["horizon", "codes", filters ?? "none"],
    queryFn: () => allCodes(view),
    enabled: p.picked.size > 0,
  });
  const here = useMemo(() => new Set(shown.data ?? []), [shown.data]);
  const unseen = shown.data ? [...p.picked].filter((code) => !here.has(code)).length : 0;
  const { span } = picking;
  const counted = useQuery({
    queryKey: ["horizon", "span", filters ?? "none", span?.from ?? "", span?.to ?? ""],
    queryFn: ({ signal }) => {
      const taken = { ...filters, sort: undefined, group: undefined }; // an order makes no difference
      return api.runningOut({ ...taken, dueFrom: span?.from ?? "", dueTo: span?.to ?? "" }, signal);
    },
    enabled: span !== undefined && wrong === undefined && filters !== undefined,
  });
  // Each unit gets days of its own, which end before it may run out: those of the span may be too late for it.
  const send = useMutation({
    mutationFn: () => api.addWork({ units: [...p.picked] }),
    onSuccess: async () => {
      p.onPick([]);
      await queries.invalidateQueries();
    },
  });
  const back = useMutation({
    mutationFn: (ids: number[]) => api.removeWork(ids),
    onSuccess: async () => {
      send.reset();
      await queries.invalidateQueries();
    },
  });
  const sent = send.data;
  const change = (part: Partial<DaySpan>) => p.changeSpan(part, p.today);
  const sending = (
    <button
      type="button"
      className="solid"
      aria-label={`add ${units(p.picked.size)} to the work list`}
      // A button that is disabled while it has the focus loses it: the next key would go nowhere.
      aria-disabled={p.picked.size === 0 || send.isPending}
      onClick={() => {
        if (p.picked.size > 0 && !send.isPending) send.mutate();
      }}
    >
      add {units(p.picked.size)}
      <span className="from-md-up">{" to the work list"}</span>
    </button>
  );
  return (
    <div data-testid="pick-bar">
      <div className={p.open ? "filters open" : "filters wide"}>
        <span>Select what runs out from</span>
        <DateField label="from" hidden width="148px" value={p.span?.from ?? ""} onChange={(v) => change({ from: v })} />
        <span>to</span>
        <DateField label="to" hidden width="148px" value={p.span?.to ?? ""} onChange={(v) => change({ to: v })} />
        <Act onClick={p.all}>all shown</Act>
        <Act
          onClick={() => {
            p.onSpan(undefined);
            p.onPick([]);
          }}
        >
          none
        </Act>
        {sending}
      </div>
      {p.picked.size > 0 && !p.open && <div className="to-lg-down">{sending}</div>}
      <div aria-live="polite">
        {wrong?.trim() && <p className="alarm">{wrong}</p>}
        {p.failed && <p className="alarm">{p.failed}</p>}
        {unseen > 0 && (
          <p>
            {figure(unseen)} of the {units(p.picked.size)} selected {unseen === 1 ? "is" : "are"} not shown.
          </p>
        )}
        {p.span && !wrong && counted.data && (
          <p>
            By the likeliest day {units(counted.data.likely)} {counted.data.likely === 1 ? "runs" : "run"} out in these
            days; {figure(counted.data.more)} more may.
          </p>
        )}
        {p.span && !wrong && p.picked.size === 0 && !sent && (
          <p>Nothing that is shown most likely runs out in these days.</p>
        )}
        {send.error && <p className="alarm">{send.error.message}</p>}
        {back.error && <p className="alarm">{back.error.message}</p>}
        {sent && (
          <div className="filters" data-testid="sent">
            <span>
              {units(sent.sent.length)} added to the work list
              {sent.already.length > 0 &&
                `; ${units(sent.already.length)} ${sent.already.length === 1 ? "was" : "were"} there already`}
              {sent.nothing.length > 0 &&
                `; ${units(sent.nothing.length)} ${sent.nothing.length === 1 ? "asks" : "ask"} for nothing`}
              .{sent.sent.length > 0 && " Days of the work: the two weeks before each may run out; change them there."}
            </span>
            {sent.sent.length > 0 && <Act onClick={() => back.mutate(sent.sent)}>undo</Act>}
            <RouterLink className="link" to="/plan/list">
              open the work list
            </RouterLink>
            {sent.sent.length > 0 && (
              <RouterLink className="link" to={`/plan?place=${sent.sent.slice(0, 400).join(",")}`}>
                place {sent.sent.length === 1 ? "it" : "them"} on the plan
              </RouterLink>
            )}
          </div>
        )}
      </div>
    </div>
  );
}

function Act(p: { onClick: () => void; children: string }) {
  return (
    <button type="button" className="act" onClick={p.onClick}>
      {p.children}
    </button>
  );
}
