import { useVirtualizer } from "@tanstack/react-virtual";
import { type KeyboardEvent, type PointerEvent, memo, useCallback, useEffect, useMemo, useRef, useState } from "react";
import { flushSync } from "react-dom";
import { Link as RouterLink, useNavigate } from "react-router";
import type { Clock, Schemas } from "../api/client";
import { useMedia } from "../frame/media";
import { useSettled } from "../frame/settled";
import { Vial } from "../marks/Vial";
import { daysAway, dueText, dueWindow, longDay } from "../words/figures";
import { clockId, clockLetters, clockName, clockNames, verdictWords, workNames } from "../words/names";
import { type DaySpan, notMeant } from "./PickBar";
import type { Picking } from "./picking";
import { type TimeScale, timeScale } from "./scale";
import { type Drawn, type Row, governingOf, itemAt, lineAt, lineCount, placeAt, timed, timedClocks } from "./view";

type Horizon = Schemas["Horizon"];

const lineHeight = 32;
/** Where lines are touched, and no pointer hovers over them. */
const touched = "(hover: none) and (pointer: coarse), (width < 48em)";
/** What the sentence beneath speaks of: a unit, and one of its clocks. */
interface Pointed {
  readonly unit: string;
  /** See clockId. */
  readonly clock: string;
}

/** Every unit a line; its windows to the right, over the cold seasons of its site. Only the lines in sight are drawn. */
export function HorizonDrawing({
  horizon,
  rows,
  onSight,
  months,
  picking,
  all,
}: {
  horizon: Horizon;
  /** The rows that have come, by place. */
  rows: ReadonlyMap<number, Row>;
  /** Given the places of the first and the last row in sight. */
  onSight: (sight: readonly [number, number]) => void;
  months: number;
  picking: Picking | undefined;
  /** All rows, once they were fetched for a print. */
  all: readonly Row[] | undefined;
}) {
  const { groups } = horizon;
  const count = lineCount(groups);
  const scale = useMemo(() => timeScale(horizon.today, months), [horizon.today, months]);
  const [pointed, setPointed] = useState<Pointed>();
  const roomy = useMedia("(min-width: 64rem)");
  const [printing, setPrinting] = useState(false);
  const pane = useRef<HTMLDivElement>(null);
  // The list is followed by the library itself; the compiler's rule about its functions does not apply to this page.
  // eslint-disable-next-line react-hooks/incompatible-library
  const virtual = useVirtualizer({
    count,
    getScrollElement: () => pane.current,
    estimateSize: () => lineHeight,
    overscan: 6,
  });
  useEffect(() => {
    const start = () => flushSync(() => setPrinting(true));
    const end = () => setPrinting(false);
    window.addEventListener("beforeprint", start);
    window.addEventListener("afterprint", end);
    return () => {
      window.removeEventListener("beforeprint", start);
      window.removeEventListener("afterprint", end);
    };
  }, []);
  const lines = virtual.getVirtualItems();
  // Asked for once the scrolling rests: what flies past is not.
  const [from = 0, to = 0] = useSettled(`${lines[0]?.index ?? 0} ${lines.at(-1)?.index ?? 0}`, 120)
    .split(" ")
    .map(Number);
  const [first, last] = [placeAt(groups, from), placeAt(groups, to)];
  useEffect(() => onSight([first, last]), [onSight, first, last]);
  const pointedRow = useMemo(() => [...rows.values()].find((r) => r.unit.code === pointed?.unit), [rows, pointed]);
  const seasons = useMemo(() => new Map(horizon.sites.map((s) => [s.name, s.seasons])), [horizon.sites]);
  const move = useCallback(
    (to: number) => {
      virtual.scrollToIndex(to);
      // The line is drawn a moment after it has come into sight.
      setTimeout(() => pane.current?.querySelector<HTMLElement>(`[data-index="${to}"]`)?.focus(), 40);
    },
    [virtual],
  );
  const shown = picking?.shown;
  useEffect(() => {
    if (shown !== undefined && shown >= 0) virtual.scrollToIndex(lineAt(groups, shown), { align: "center" });
    // What is picked comes into sight once, and does not hold the list there. In the middle: the count of the span
    // arrives later and takes a line of the pane's height.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [shown]);
  const line = (index: number) => {
    const item = itemAt(groups, index);
    if (!item) return null;
    if ("head" in item) {
      return (
        <div className="horizon-head">
          {item.head} <span className="figures">{item.count}</span>
        </div>
      );
    }
    const row = rows.get(item.place) ?? all?.[item.place];
    // Its page has not come yet.
    if (!row)
      return <div className="horizon-line faint" role="listitem" data-index={index} aria-label="not read yet" />;
    return (
      <UnitLine
        row={row}
        index={index}
        scale={scale}
        today={horizon.today}
        seasons={seasons.get(row.unit.site) ?? noSeasons}
        onPoint={setPointed}
        picked={picking?.picked.has(row.unit.code) ?? false}
        onToggle={picking?.toggle}
        span={picking?.span}
        onMove={move}
        near={roomy ? 1.8 : 6.5}
      />
    );
  };
  return (
    <div className="drawing">
      <div className="months faint small">
        <div className="horizon-cells">
          <span className="from-md" />
          <span />
          <span>unit</span>
          <span className="from-lg" />
          <span className="from-md">governs</span>
          <span className="when">when</span>
        </div>
        <div
          className={picking ? "month-names dragged" : "month-names"}
          data-testid="months"
          {...(picking ? dragging(scale, picking) : {})}
        >
          {picking?.span && <SpanBand scale={scale} span={picking.span} />}
          {scale.months
            .filter((m) => m.at < 93)
            .map((m) => (
              <span
                key={m.at}
                className={m.quarter || months < 6 ? "month" : "month from-xl"}
                style={{ left: `${m.at}%` }}
              >
                {m.words}
                <span className={months < 6 ? undefined : "from-lg-up"}>{m.year}</span>
              </span>
            ))}
        </div>
      </div>
      <div
        ref={pane}
        className={printing ? "pane printed" : "pane"}
        role="list"
        aria-label="Units, soonest due first"
        data-testid="horizon"
      >
        {printing ? (
          Array.from({ length: count }, (_, i) => <div key={i}>{line(i)}</div>)
        ) : (
          <div style={{ height: `${virtual.getTotalSize()}px`, position: "relative" }}>
            {lines.map((v) => (
              <div
                key={v.key}
                style={{ position: "absolute", top: 0, left: 0, width: "100%", transform: `translateY(${v.start}px)` }}
              >
                {line(v.index)}
              </div>
            ))}
          </div>
        )}
      </div>
      <p className="on-paper small">{legend}</p>
      <Sentence
        row={pointedRow}
        clock={pointedRow?.clocks.find((c) => clockId(c) === pointed?.clock)}
        today={horizon.today}
        picking={picking}
      />
    </div>
  );
}

const noSeasons: readonly Schemas["Season"][] = [];

/** A line is drawn anew only when something in it has changed, so that scrolling draws those that come into sight alone. */
const UnitLine = memo(function UnitLine(p: {
  row: Row;
  index: number;
  scale: TimeScale;
  today: string;
  seasons: readonly Schemas["Season"][];
  onPoint: (pointed: Pointed) => void;
  onMove: (index: number) => void;
  picked: boolean;
  onToggle: Picking["toggle"] | undefined;
  span: DaySpan | undefined;
  /** Letters nearer to one another than this, in per cent of the drawing, are written as one. */
  near: number;
}) {
  const { row, scale } = p;
  const governing = governingOf(row);
  const navigate = useNavigate();
  const clocks = timedClocks<Drawn>(row.clocks);
  const [at, setAt] = useState(-1);
  function press(event: KeyboardEvent) {
    const along = event.key === "ArrowRight" ? 1 : event.key === "ArrowLeft" ? -1 : 0;
    const down =
      event.key === "ArrowDown" || event.key === "j" ? 1 : event.key === "ArrowUp" || event.key === "k" ? -1 : 0;
    if (event.key === "Enter") void navigate(`/units/${encodeURIComponent(row.unit.code)}`);
    else if (event.key === " " && p.onToggle) p.onToggle(row.unit.code, event.shiftKey);
    else if (down !== 0) p.onMove(p.index + down);
    else if (along !== 0 && clocks.length > 0) {
      const next = Math.max(0, Math.min(clocks.length - 1, at + along));
      setAt(next);
      p.onPoint({ unit: row.unit.code, clock: clockId(clocks[next] ?? governing) });
    } else return;
    event.preventDefault();
    event.stopPropagation();
  }
  const point = () => p.onPoint({ unit: row.unit.code, clock: clockId(governing) });
  const urgent = row.verdict === "hold" || row.verdict === "overdue";
  return (
    <div
      role="listitem"
      className="horizon-line"
      tabIndex={p.index === 0 ? 0 : -1}
      data-line=""
      data-index={p.index}
      data-unit={row.unit.code}
      aria-label={`${row.unit.code} ${row.unit.name}: ${verdictWords[row.verdict]}, ${clockName(governing)} ${dueText({ ...governing, verdict: row.verdict }, p.today)}${p.picked ? ", selected" : ""}`}
      onFocus={point}
      onMouseEnter={point}
      onKeyDown={press}
      onClick={() => {
        // Without a pointer that hovers, the first touch gives; the sentence has the way on.
        if (window.matchMedia(touched).matches) point();
        else void navigate(`/units/${encodeURIComponent(row.unit.code)}`);
      }}
    >
      <div className="horizon-cells">
        {p.onToggle ? (
          <input
            type="checkbox"
            className="pick"
            aria-label={`pick ${row.unit.code}`}
            tabIndex={-1}
            checked={p.picked}
            onClick={(e) => {
              e.stopPropagation();
              p.onToggle?.(row.unit.code, e.shiftKey);
            }}
            onChange={() => undefined}
          />
        ) : (
          <span className="from-md" />
        )}
        <Vial verdict={row.verdict} left={governing.remaining} />
        <span className="figures strong cut">
          {row.unit.code}
          {p.picked && <span className="to-md"> ✓</span>}
        </span>
        <span className="cut from-lg">{row.unit.name}</span>
        <span className="small faint from-md">{clockName(governing)}</span>
        <span className={urgent ? "figures when alarm" : "figures when"}>{when(governing, row)}</span>
      </div>
      <div className="horizon-time">
        {p.seasons.map((s) => (
          <Span key={s.from} scale={scale} from={s.from} to={s.to} className="cold-season" />
        ))}
        <div className="over grid" style={{ background: scale.grid }} />
        {p.span && <SpanBand scale={scale} span={p.span} />}
        {row.work?.map((w) => (
          <Brackets key={w.id} scale={scale} planned={w} />
        ))}
        {clocks.map((c) => (
          <WindowBar
            key={clockId(c)}
            clock={c}
            scale={scale}
            strong={c === governing}
            onPoint={() => p.onPoint({ unit: row.unit.code, clock: clockId(c) })}
          />
        ))}
        {lettersOf(clocks, governing, scale, p.near).map((l) => (
          <span
            key={l.text + String(l.at)}
            aria-hidden="true"
            className={l.governs ? "window-letter governs" : "window-letter"}
            style={{ left: `${l.at}%` }}
          >
            {l.text}
          </span>
        ))}
        <div className="today" style={{ left: `${scale.today}%` }} />
      </div>
    </div>
  );
});

/** The letters of the clocks, each beside its day or where its window begins. */
function lettersOf(clocks: readonly Drawn[], governing: Clock, scale: TimeScale, near: number) {
  // The mark of a governing day before the drawing has the left edge.
  const free = governing.due !== undefined && scale.past(governing.due) ? 2 * near : 0;
  const found: { at: number; text: string; governs: boolean }[] = [];
  const seen = clocks.flatMap((c) => {
    const due = c.due ?? "";
    const [from, to] = [c.window?.p10 ?? due, c.window?.p90 ?? due];
    if (!scale.sees(from, to) || (c === governing && scale.past(due))) return [];
    return [
      {
        kind: c.kind,
        governs: c === governing,
        at: Math.max(free, scale.at(scale.sees(due, due) ? due : from)),
      },
    ];
  });
  for (const c of seen.toSorted((a, b) => a.at - b.at)) {
    const last = found.at(-1);
    const governs = c.governs;
    if (last && c.at - last.at < near * last.text.length) {
      last.at = c.at;
      // Circuits of a unit share a letter where they are due together.
      if (!last.text.includes(clockLetters[c.kind])) last.text += clockLetters[c.kind];
      last.governs ||= governs;
    } else found.push({ at: c.at, text: clockLetters[c.kind], governs });
  }
  return found;
}

/** What the letters mean. */
const legend = timed.map((k) => `${clockLetters[k]} ${clockNames[k].toLowerCase()}`).join(" · ");

function when(governing: Clock, row: Row): string {
  if (row.verdict === "hold") return "now";
  if (governing.days === undefined) return row.verdict === "unknown" ? "test" : "";
  return governing.days === 0 ? "now" : daysAway(governing.days).replace("in ", "");
}

function Span(p: { scale: TimeScale; from: string; to: string; className: string }) {
  if (!p.scale.sees(p.from, p.to)) return null;
  return <div className={`over ${p.className}`} style={p.scale.place(p.from, p.to)} />;
}

/** A span is set by dragging across the months. */
function dragging(scale: TimeScale, picking: Picking) {
  const dayAt = (e: PointerEvent<HTMLElement>) => {
    const box = e.currentTarget.getBoundingClientRect();
    return scale.day((100 * (e.clientX - box.left)) / box.width);
  };
  return {
    onPointerDown: (e: PointerEvent<HTMLElement>) => {
      e.currentTarget.setPointerCapture(e.pointerId);
      e.currentTarget.dataset.from = dayAt(e);
    },
    onPointerMove: (e: PointerEvent<HTMLElement>) => {
      const from = e.currentTarget.dataset.from;
      if (from === undefined || !e.currentTarget.hasPointerCapture(e.pointerId)) return;
      const to = dayAt(e);
      if (to !== from) picking.onSpan(from < to ? { from, to } : { from: to, to: from });
    },
    onPointerUp: (e: PointerEvent<HTMLElement>) => {
      delete e.currentTarget.dataset.from;
    },
  };
}

/** The span that is picked, over the lines. */
function SpanBand({ scale, span }: { scale: TimeScale; span: DaySpan }) {
  if (notMeant(span) || !scale.sees(span.from, span.to)) return null;
  return <div className="span-band" style={scale.place(span.from, span.to)} />;
}

/** Planned work is a pair of square brackets. */
function Brackets({ scale, planned }: { scale: TimeScale; planned: Schemas["WorkItem"] }) {
  if (!scale.sees(planned.from, planned.to)) return null;
  return (
    <div className="brackets" data-planned={planned.id} style={scale.place(planned.from, planned.to)}>
      <i />
      <i />
    </div>
  );
}

/** A clock's window with its middle; the governing one is filled, the others are outlined. A sure day is its tick alone. */
function WindowBar(p: { clock: Drawn; scale: TimeScale; strong: boolean; onPoint: () => void }) {
  const due = p.clock.due;
  if (due === undefined) return null;
  if (p.strong && p.scale.past(due)) {
    return (
      <span className="window-past" aria-hidden="true">
        ‹{clockLetters[p.clock.kind]}
      </span>
    );
  }
  const [from, to] = [p.clock.window?.p10 ?? due, p.clock.window?.p90 ?? due];
  if (!p.scale.sees(from, to)) return null;
  const governs = p.strong ? " governs" : "";
  return (
    <div
      data-clock={p.clock.kind}
      onMouseEnter={(e) => {
        e.stopPropagation();
        p.onPoint();
      }}
      onClick={(e) => {
        // A touch names this clock; elsewhere a click opens the account.
        if (!window.matchMedia(touched).matches) return;
        e.stopPropagation();
        p.onPoint();
      }}
    >
      {from !== to && <div className={`window${governs}`} style={p.scale.place(from, to)} />}
      {p.scale.sees(due, due) && <div className={`window-day${governs}`} style={{ left: `${p.scale.at(due)}%` }} />}
    </div>
  );
}

/** The reason of the window under the pointer or the cursor, in a sentence. */
function Sentence(p: { row: Row | undefined; clock: Clock | undefined; today: string; picking: Picking | undefined }) {
  const { row, clock: c, today } = p;
  const touch = useMedia(touched);
  const picked = row && p.picking?.picked.has(row.unit.code);
  return (
    <div
      className={touch ? "sentence touched no-print" : "sentence no-print"}
      aria-live="polite"
      data-testid="sentence"
    >
      {!row && (
        <p className="faint">
          {touch ? (
            "Select a line to see its reason."
          ) : (
            <>
              Point at a line, or use j, k and the arrows, to see its reason. Enter opens the account.
              {p.picking && " A tick or Space selects a line; drag across the months to select a span."}
            </>
          )}{" "}
          <span className="small">{legend}</span>
        </p>
      )}
      {row && c && (
        <>
          <p className="strong">
            {row.unit.code} {row.unit.name}: {clockName(c)}, {verdictWords[c.verdict]}
            {c.due &&
              `, ${c.window ? `${dueWindow(c.window.p10, c.window.p90, today)}, most likely ${longDay(c.due)}` : longDay(c.due)}`}
          </p>
          <p>
            {c.reason.text}
            {row.work?.map((w) => ` On the work list: ${workNames[w.work]}, ${dueWindow(w.from, w.to, today)}.`)}
          </p>
        </>
      )}
      {touch && row && (
        <div className="flex" style={{ gap: "20px" }}>
          <RouterLink className="act line strong" to={`/units/${encodeURIComponent(row.unit.code)}`}>
            open account
          </RouterLink>
          {p.picking && (
            <button
              type="button"
              className="act line strong"
              aria-pressed={picked}
              onClick={() => p.picking?.toggle(row.unit.code, false)}
            >
              {picked ? "unselect" : "select for the work list"}
            </button>
          )}
        </div>
      )}
    </div>
  );
}
