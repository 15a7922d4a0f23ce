import { Box, Flex, Text } from "@chakra-ui/react";
import { useVirtualizer } from "@tanstack/react-virtual";
import { type KeyboardEvent, useEffect, useMemo, useRef, useState } from "react";
import { flushSync } from "react-dom";
import { useNavigate } from "react-router";
import type { Clock, Schemas } from "../api/client";
import { Vial } from "../marks/Vial";
import { daysAway, dueWindow, longDay } from "../words/figures";
import { clockNames, dueText, reason, verdictWords } from "../words/reasons";
import { type TimeScale, timeScale } from "./scale";
import { type Item, type Row, timedClocks } from "./view";

type Horizon = Schemas["Horizon"];

const lineHeight = 32;
/** The widths of what stands before the time. */
const columns = "26px 76px minmax(0, 148px) 78px 96px";
const before = "448px";

/** What the sentence beneath speaks of: a unit, and one of its clocks. */
interface Told {
  readonly row: Row;
  readonly clock: Clock | undefined;
}

/** Every unit a line; its windows to the right, over the cold seasons of its site. Only the lines in sight are drawn. */
export function HorizonDrawing({
  items,
  horizon,
  months,
}: {
  items: readonly Item[];
  horizon: Horizon;
  months: number;
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
  const seasons = useMemo(() => new Map(horizon.sites.map((s) => [s.name, s.seasons])), [horizon.sites]);
  const line = (item: Item, index: number) =>
    "row" in item ? (
      <UnitLine
        row={item.row}
        index={index}
        scale={scale}
        today={horizon.today}
        seasons={seasons.get(item.row.unit.site) ?? []}
        onTell={setTold}
        onMove={(to) => {
          virtual.scrollToIndex(to);
          // The line is drawn a moment after it has come into sight.
          setTimeout(() => pane.current?.querySelector<HTMLElement>(`[data-index="${to}"]`)?.focus(), 40);
        }}
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
    <Box>
      <Flex borderBottomWidth="1px" borderColor="ink" fontSize="13px" color="faint" pr={{ base: "0", md: "10px" }}>
        <Box display="grid" gridTemplateColumns={columns} w={before} flexShrink={0} columnGap="6px">
          <span />
          <span>unit</span>
          <span />
          <span>governs</span>
          <Box textAlign="right" pr="8px">
            when
          </Box>
        </Box>
        <Box flex="1" position="relative" h="22px">
          {scale.months.map((m) => (
            <Text key={m.at} position="absolute" left={`${m.at}%`} pl="3px" whiteSpace="nowrap">
              {m.words}
            </Text>
          ))}
        </Box>
      </Flex>
      <Box
        ref={pane}
        position="relative"
        overflowY={printing ? "visible" : "auto"}
        h={printing ? "auto" : "calc(100vh - 236px)"}
        minH="200px"
        role="list"
        aria-label="Units, soonest due first"
        data-testid="horizon"
      >
        {printing ? (
          items.map((item, i) => <Box key={i}>{line(item, i)}</Box>)
        ) : (
          <Box h={`${virtual.getTotalSize()}px`} position="relative">
            {virtual.getVirtualItems().map((v) => {
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
      <Sentence told={told} today={horizon.today} />
    </Box>
  );
}

function UnitLine(p: {
  row: Row;
  index: number;
  scale: TimeScale;
  today: string;
  seasons: readonly Schemas["Season"][];
  onTell: (told: Told) => void;
  onMove: (index: number) => void;
}) {
  const { row, scale } = p;
  const governing = row.clocks[0];
  const navigate = useNavigate();
  const clocks = timedClocks(row.clocks);
  const [at, setAt] = useState(-1);
  function press(event: KeyboardEvent) {
    const along = event.key === "ArrowRight" ? 1 : event.key === "ArrowLeft" ? -1 : 0;
    const down =
      event.key === "ArrowDown" || event.key === "j" ? 1 : event.key === "ArrowUp" || event.key === "k" ? -1 : 0;
    if (event.key === "Enter") void navigate(`/units/${encodeURIComponent(row.unit.code)}`);
    else if (down !== 0) p.onMove(p.index + down);
    else if (along !== 0 && clocks.length > 0) {
      const next = Math.max(0, Math.min(clocks.length - 1, at + along));
      setAt(next);
      p.onTell({ row, clock: clocks[next] });
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
      aria-label={`${row.unit.code} ${row.unit.name}: ${verdictWords[row.verdict]}, ${governing ? `${clockNames[governing.kind]} ${dueText(governing, p.today)}` : ""}`}
      cursor="pointer"
      _hover={{ bg: "wash" }}
      _focusVisible={{ bg: "wash", outlineOffset: "-2px" }}
      onFocus={() => p.onTell({ row, clock: governing })}
      onMouseEnter={() => p.onTell({ row, clock: governing })}
      onKeyDown={press}
      onClick={() => void navigate(`/units/${encodeURIComponent(row.unit.code)}`)}
    >
      <Box display="grid" gridTemplateColumns={columns} w={before} flexShrink={0} columnGap="6px" alignItems="center">
        <Vial verdict={row.verdict} left={governing?.left} />
        <Text className="figures" fontWeight="700" truncate>
          {row.unit.code}
        </Text>
        <Text truncate fontSize="14px">
          {row.unit.name}
        </Text>
        <Text fontSize="13px" color="faint">
          {governing ? clockNames[governing.kind].toLowerCase() : ""}
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
        {scale.months.map((m) => (
          <Box
            key={m.at}
            position="absolute"
            left={`${m.at}%`}
            top="0"
            bottom="0"
            borderLeftWidth="1px"
            borderColor="rule"
          />
        ))}
        {clocks.map((c) => (
          <WindowBar
            key={c.kind}
            clock={c}
            scale={scale}
            strong={c === governing}
            onTell={() => p.onTell({ row, clock: c })}
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
}

function when(governing: Clock | undefined, row: Row): string {
  if (row.verdict === "hold") return "now";
  if (governing?.days === undefined) return row.verdict === "unknown" ? "test" : "";
  return governing.days === 0 ? "now" : daysAway(governing.days).replace("in ", "");
}

function Span(p: { scale: TimeScale; from: string; to: string; className: string }) {
  if (!p.scale.sees(p.from, p.to)) return null;
  const left = p.scale.at(p.from);
  return (
    <Box
      className={p.className}
      position="absolute"
      top="0"
      bottom="0"
      style={{ left: `${left}%`, width: `${p.scale.at(p.to) - left}%` }}
    />
  );
}

/** A clock's window with its middle; the governing one is filled, the others are outlined. A sure day is its tick alone. */
function WindowBar(p: { clock: Clock; scale: TimeScale; strong: boolean; onTell: () => void }) {
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
  const left = p.scale.at(from);
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
          style={{ left: `${left}%`, width: `${p.scale.at(to) - left}%` }}
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
function Sentence({ told, today }: { told: Told | undefined; today: string }) {
  const c = told?.clock;
  return (
    <Box
      minH="66px"
      mt="6px"
      pl="12px"
      borderLeftWidth="4px"
      borderColor="accent"
      aria-live="polite"
      data-testid="sentence"
      className="no-print"
    >
      {!told && (
        <Text color="faint">
          Point at a line, or go along with j and k and the arrows: here stands why. Enter opens the account.
        </Text>
      )}
      {told && c && (
        <>
          <Text fontWeight="700">
            {told.row.unit.code} {told.row.unit.name}: {clockNames[c.kind].toLowerCase()}, {verdictWords[c.verdict]}
            {c.due &&
              `, ${c.window ? `${dueWindow(c.window.p10, c.window.p90, today)}, most likely ${longDay(c.due)}` : longDay(c.due)}`}
          </Text>
          <Text>{reason(c, told.row.unit.site)}</Text>
        </>
      )}
    </Box>
  );
}
