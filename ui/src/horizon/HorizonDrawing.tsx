import { Box, Button, Flex, Link, Text, useMediaQuery } from "@chakra-ui/react";
import { useVirtualizer } from "@tanstack/react-virtual";
import { type KeyboardEvent, type PointerEvent, memo, useCallback, useEffect, useMemo, useRef, useState } from "react";
import { flushSync } from "react-dom";
import { Link as RouterLink, useNavigate } from "react-router";
import type { Clock, Schemas } from "../api/client";
import { useSettled } from "../frame/settled";
import { Vial } from "../marks/Vial";
import { daysAway, dueText, dueWindow, longDay } from "../words/figures";
import { clockNames, verdictWords, workNames } from "../words/names";
import type { DaySpan } from "./PickBar";
import type { Picking } from "./picking";
import { type TimeScale, timeScale } from "./scale";
import { type Clocks, useClocks } from "./clocks";
import { type Drawn, type Item, type Row, rowsOf, timedClocks } from "./view";

type Horizon = Schemas["Horizon"];

const lineHeight = 32;
/** Where lines are touched, and no pointer hovers over them. */
const touched = "(hover: none) and (pointer: coarse), (width < 48em)";
/** The widths of what stands before the time. */
const columns = {
  base: "26px 66px 84px",
  md: "24px 26px 72px 78px 90px",
  lg: "24px 26px 72px minmax(0, 134px) 78px 90px",
};
const before = { base: "188px", md: "322px", lg: "448px" };

/** What the sentence beneath speaks of: a unit, and one of its clocks. */
interface Told {
  readonly unit: string;
  readonly kind: Clock["kind"];
}

/** Every unit a line; its windows to the right, over the cold seasons of its site. Only the lines in sight are drawn. */
export function HorizonDrawing({
  items,
  horizon,
  months,
  picking,
  all,
}: {
  items: readonly Item[];
  horizon: Horizon;
  months: number;
  picking: Picking | undefined;
  /** The clocks of all lines, once they were fetched for a print. */
  all: Clocks | undefined;
}) {
  const scale = useMemo(() => timeScale(horizon.today, months), [horizon.today, months]);
  const [told, setTold] = useState<Told>();
  const [printing, setPrinting] = useState(false);
  const pane = useRef<HTMLDivElement>(null);
  // The list is followed by the library itself; the compiler's rule about its functions does not apply to this page.
  // eslint-disable-next-line react-hooks/incompatible-library
  const virtual = useVirtualizer({
    count: items.length,
    getScrollElement: () => pane.current,
    estimateSize: () => lineHeight,
    overscan: 12,
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
  const clocks = useClocks(items, from, to);
  const toldRow = useMemo(() => rowsOf(items).find((r) => r.unit.code === told?.unit), [items, told]);
  const seasons = useMemo(() => new Map(horizon.sites.map((s) => [s.name, s.seasons])), [horizon.sites]);
  const move = useCallback(
    (to: number) => {
      virtual.scrollToIndex(to);
      // The line is drawn a moment after it has come into sight.
      setTimeout(() => pane.current?.querySelector<HTMLElement>(`[data-index="${to}"]`)?.focus(), 40);
    },
    [virtual],
  );
  const line = (item: Item, index: number) =>
    "row" in item ? (
      <UnitLine
        row={item.row}
        clocks={clocks.get(item.row.unit.code) ?? all?.get(item.row.unit.code)}
        index={index}
        scale={scale}
        today={horizon.today}
        seasons={seasons.get(item.row.unit.site) ?? noSeasons}
        onTell={setTold}
        picked={picking?.picked.has(item.row.unit.code) ?? false}
        onToggle={picking?.toggle}
        span={picking?.span}
        onMove={move}
      />
    ) : (
      <Flex
        h={`${lineHeight}px`}
        align="flex-end"
        gap="10px"
        fontWeight="700"
        borderBottomWidth="1px"
        borderColor="ink"
      >
        {item.head} <span className="figures">{item.count}</span>
      </Flex>
    );
  return (
    <Flex direction="column" flex="1" minH="0">
      <Flex
        flexShrink={0}
        borderBottomWidth="1px"
        borderColor="ink"
        fontSize="13px"
        color="faint"
        pr={{ base: "0", md: "10px" }}
      >
        <Box display="grid" gridTemplateColumns={columns} w={before} flexShrink={0} columnGap="6px">
          <Box hideBelow="md" />
          <span />
          <span>unit</span>
          <Box hideBelow="lg" />
          <Box hideBelow="md">governs</Box>
          <Box textAlign="right" pr="8px">
            when
          </Box>
        </Box>
        <Box
          flex="1"
          position="relative"
          h="22px"
          overflow="hidden"
          cursor={picking ? "col-resize" : undefined}
          data-testid="months"
          {...(picking ? dragging(scale, picking) : {})}
        >
          {picking?.span && <SpanBand scale={scale} span={picking.span} />}
          {scale.months
            .filter((m) => m.at < 93)
            .map((m) => (
              <Text
                key={m.at}
                position="absolute"
                left={`${m.at}%`}
                pl="3px"
                whiteSpace="nowrap"
                hideBelow={m.quarter || months < 6 ? undefined : "xl"}
              >
                {m.words}
                <Text as="span" hideBelow={months < 6 ? undefined : "lg"}>
                  {m.year}
                </Text>
              </Text>
            ))}
        </Box>
      </Flex>
      <Box
        ref={pane}
        position="relative"
        overflowY={printing ? "visible" : "auto"}
        flex={printing ? "none" : "1"}
        minH="0"
        role="list"
        aria-label="Units, soonest due first"
        data-testid="horizon"
      >
        {printing ? (
          items.map((item, i) => <Box key={i}>{line(item, i)}</Box>)
        ) : (
          <Box h={`${virtual.getTotalSize()}px`} position="relative">
            {lines.map((v) => {
              const item = items[v.index];
              return (
                item && (
                  <Box
                    key={v.key}
                    position="absolute"
                    top="0"
                    left="0"
                    w="100%"
                    style={{ transform: `translateY(${v.start}px)` }}
                  >
                    {line(item, v.index)}
                  </Box>
                )
              );
            })}
          </Box>
        )}
      </Box>
      <Sentence
        row={toldRow}
        kind={told?.kind}
        clock={told && clocks.get(told.unit)?.find((c) => c.kind === told.kind)}
        today={horizon.today}
        picking={picking}
      />
    </Flex>
  );
}

const noSeasons: readonly Schemas["Season"][] = [];

/** A line is drawn anew only when something in it has changed, so that scrolling draws those that come into sight alone. */
const UnitLine = memo(function UnitLine(p: {
  row: Row;
  /** All its clocks, when they have come. */
  clocks: readonly Clock[] | undefined;
  index: number;
  scale: TimeScale;
  today: string;
  seasons: readonly Schemas["Season"][];
  onTell: (told: Told) => void;
  onMove: (index: number) => void;
  picked: boolean;
  onToggle: Picking["toggle"] | undefined;
  span: DaySpan | undefined;
}) {
  const { row, scale } = p;
  const { governing } = row;
  const navigate = useNavigate();
  const clocks = timedClocks<Drawn>(p.clocks ?? [governing]);
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
      p.onTell({ unit: row.unit.code, kind: clocks[next]?.kind ?? governing.kind });
    } else return;
    event.preventDefault();
    event.stopPropagation();
  }
  return (
    <Flex
      role="listitem"
      h={`${lineHeight}px`}
      borderBottomWidth="1px"
      borderColor="rule"
      tabIndex={p.index === 0 ? 0 : -1}
      data-line=""
      data-index={p.index}
      data-unit={row.unit.code}
      aria-label={`${row.unit.code} ${row.unit.name}: ${verdictWords[row.verdict]}, ${clockNames[governing.kind]} ${dueText({ ...governing, verdict: row.verdict }, p.today)}${p.picked ? ", selected" : ""}`}
      cursor="pointer"
      _hover={{ bg: "wash" }}
      _focusVisible={{ bg: "wash", outlineOffset: "-2px" }}
      onFocus={() => p.onTell({ unit: row.unit.code, kind: governing.kind })}
      onMouseEnter={() => p.onTell({ unit: row.unit.code, kind: governing.kind })}
      onKeyDown={press}
      onClick={() => {
        // Without a pointer that hovers, the first touch gives; the sentence has the way on.
        if (window.matchMedia(touched).matches) p.onTell({ unit: row.unit.code, kind: governing.kind });
        else void navigate(`/units/${encodeURIComponent(row.unit.code)}`);
      }}
    >
      <Box display="grid" gridTemplateColumns={columns} w={before} flexShrink={0} columnGap="6px" alignItems="center">
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
          <Box hideBelow="md" />
        )}
        <Vial verdict={row.verdict} left={governing.remaining} />
        <Text className="figures" fontWeight="700" truncate>
          {row.unit.code}
          {p.picked && (
            <Text as="span" color="accent" hideFrom="md">
              {" "}
              ✓
            </Text>
          )}
        </Text>
        <Text truncate fontSize="14px" hideBelow="lg">
          {row.unit.name}
        </Text>
        <Text fontSize="13px" color="faint" hideBelow="md">
          {clockNames[governing.kind].toLowerCase()}
        </Text>
        <Text
          className="figures"
          textAlign="right"
          pr="8px"
          whiteSpace="nowrap"
          color={row.verdict === "hold" || row.verdict === "overdue" ? "alarm" : undefined}
        >
          {when(governing, row)}
        </Text>
      </Box>
      <Box flex="1" position="relative" overflow="hidden">
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
            key={c.kind}
            clock={c}
            scale={scale}
            strong={c.kind === governing.kind}
            onTell={() => p.onTell({ unit: row.unit.code, kind: c.kind })}
          />
        ))}
        <Box
          position="absolute"
          left={`${scale.today}%`}
          top="0"
          bottom="0"
          w="4px"
          borderXWidth="1px"
          borderColor="alarm"
        />
      </Box>
    </Flex>
  );
});

function when(governing: Row["governing"], row: Row): string {
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
  if (!scale.sees(span.from, span.to)) return null;
  return (
    <Box
      position="absolute"
      top="0"
      bottom="0"
      minW="2px"
      bg="accent"
      opacity="0.12"
      style={scale.place(span.from, span.to)}
    />
  );
}

/** WorkItem work is a pair of square brackets. */
function Brackets({ scale, planned }: { scale: TimeScale; planned: Schemas["WorkItem"] }) {
  if (!scale.sees(planned.from, planned.to)) return null;
  return (
    <Box
      position="absolute"
      top="3px"
      h="26px"
      minW="14px"
      data-planned={planned.id}
      style={scale.place(planned.from, planned.to)}
    >
      {(["left", "right"] as const).map((side) => (
        <Box
          key={side}
          position="absolute"
          top="0"
          bottom="0"
          w="5px"
          borderColor="ink"
          borderYWidth="2px"
          {...(side === "left" ? { left: "0", borderLeftWidth: "2px" } : { right: "0", borderRightWidth: "2px" })}
        />
      ))}
    </Box>
  );
}

/** A clock's window with its middle; the governing one is filled, the others are outlined. A sure day is its tick alone. */
function WindowBar(p: { clock: Drawn; scale: TimeScale; strong: boolean; onTell: () => void }) {
  const due = p.clock.due;
  if (due === undefined) return null;
  if (p.strong && p.scale.past(due)) {
    return (
      <Text position="absolute" left="2px" top="4px" color="alarm" fontWeight="700" aria-hidden="true">
        ‹
      </Text>
    );
  }
  const [from, to] = [p.clock.window?.p10 ?? due, p.clock.window?.p90 ?? due];
  if (!p.scale.sees(from, to)) return null;
  return (
    <Box
      onMouseEnter={(e) => {
        e.stopPropagation();
        p.onTell();
      }}
    >
      {from !== to && (
        <Box
          position="absolute"
          top={p.strong ? "9px" : "11px"}
          h={p.strong ? "14px" : "10px"}
          minW="3px"
          borderRadius="2px"
          borderWidth={p.strong ? "0" : "1px"}
          borderColor="faint"
          bg={p.strong ? "accent" : "page"}
          opacity={p.strong ? 0.38 : 0.9}
          style={p.scale.place(from, to)}
        />
      )}
      {p.scale.sees(due, due) && (
        <Box
          position="absolute"
          top={p.strong ? "6px" : "10px"}
          h={p.strong ? "20px" : "12px"}
          w={p.strong ? "4px" : "2px"}
          ml={p.strong ? "-2px" : "-1px"}
          bg={p.strong ? "accent" : "faint"}
          style={{ left: `${p.scale.at(due)}%` }}
        />
      )}
    </Box>
  );
}

/** The reason of the window under the pointer or the cursor, in a sentence. */
function Sentence(p: {
  row: Row | undefined;
  kind: Clock["kind"] | undefined;
  clock: Clock | undefined;
  today: string;
  picking: Picking | undefined;
}) {
  const { row, kind, clock: c, today } = p;
  const [touch] = useMediaQuery([touched], { ssr: false });
  const picked = row && p.picking?.picked.has(row.unit.code);
  return (
    <Box
      minH={touch ? "128px" : "66px"}
      flexShrink={0}
      mt="6px"
      pl="12px"
      borderLeftWidth="4px"
      borderColor="accent"
      aria-live="polite"
      data-testid="sentence"
      className="no-print"
    >
      {!row && (
        <Text color="faint">
          {touch ? (
            "Select a line to see its reason."
          ) : (
            <>
              Point at a line, or use j, k and the arrows, to see its reason. Enter opens the account.
              {p.picking && " A tick or Space selects a line; drag across the months to select a span."}
            </>
          )}
        </Text>
      )}
      {row && kind && !c && (
        <Text fontWeight="700">
          {row.unit.code} {row.unit.name}: {clockNames[kind].toLowerCase()} …
        </Text>
      )}
      {row && c && (
        <>
          <Text fontWeight="700">
            {row.unit.code} {row.unit.name}: {clockNames[c.kind].toLowerCase()}, {verdictWords[c.verdict]}
            {c.due &&
              `, ${c.window ? `${dueWindow(c.window.p10, c.window.p90, today)}, most likely ${longDay(c.due)}` : longDay(c.due)}`}
          </Text>
          <Text>
            {c.reason.text}
            {row.work?.map((w) => ` On the work list: ${workNames[w.work]}, ${dueWindow(w.from, w.to, today)}.`)}
          </Text>
        </>
      )}
      {touch && row && (
        <Flex gap="20px" fontWeight="700">
          <Link asChild color="accent" minH="44px">
            <RouterLink to={`/units/${encodeURIComponent(row.unit.code)}`}>open account</RouterLink>
          </Link>
          {p.picking && (
            <Button
              variant="plain"
              px="0"
              minH="44px"
              color="accent"
              fontWeight="700"
              aria-pressed={picked}
              onClick={() => p.picking?.toggle(row.unit.code, false)}
            >
              {picked ? "unselect" : "select for the work list"}
            </Button>
          )}
        </Flex>
      )}
    </Box>
  );
}
