import { Box, Button, Flex, Link, Text } from "@chakra-ui/react";
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Link as RouterLink } from "react-router";
import { type Clock, type Schemas, type Verdict, api } from "../api/client";
import { Frame } from "../frame/Frame";
import { Failed, Waiting } from "../frame/State";
import { Vial } from "../marks/Vial";
import { celsius, daysAway, dueText, figure, longDay, weekDay } from "../words/figures";
import { clockNames, verdictWords } from "../words/names";

type Row = Schemas["MorningRow"];

interface Section {
  readonly title: string;
  readonly verdicts: readonly Verdict[];
  readonly empty: string;
}

const sections: readonly Section[] = [
  { title: "Must not move", verdicts: ["hold"], empty: "Nothing is on hold." },
  { title: "Due, soonest first", verdicts: ["overdue", "due"], empty: "Nothing is due within a month." },
  { title: "Coming up", verdicts: ["watch"], empty: "" },
  { title: "Not measured", verdicts: ["unknown"], empty: "" },
  { title: "Sound", verdicts: ["sound"], empty: "" },
];

const checksDue: Section = { title: "Checks due today", verdicts: [], empty: "" };

/** The rows of a section and how many there are; a check that is due or a discrepancy has a section of its own. */
function own(data: Schemas["Morning"], s: Section): { rows: Row[]; count: number } {
  const elsewhere = (r: Row) =>
    (r.clock.kind === "follow_up" && data.pendingChecks.some((o) => o.unit.code === r.unit.code)) ||
    (r.clock.reason.code === "discrepancy" && data.discrepancies.some((o) => o.unit.code === r.unit.code));
  const all = data.rows.filter((r) => s.verdicts.includes(r.verdict));
  const rows = all.filter((r) => !elsewhere(r));
  const count = s.verdicts.reduce((sum, v) => sum + (data.counts[v] ?? 0), 0);
  return { rows, count: count - (all.length - rows.length) };
}

/** Lines of each verdict that are asked for at first, and more at each further time. */
const pageful = 100;

/** What must not move, what is due and why, one line each. */
export function MorningPage() {
  const [limit, setLimit] = useState(pageful);
  const more = () => setLimit(limit + 10 * pageful);
  const morning = useQuery({
    queryKey: ["morning", limit],
    queryFn: ({ signal }) => api.morning(Math.min(limit, 10_000), signal),
    placeholderData: (before) => before,
  });
  const data = morning.data;
  const head = data && (
    <>
      {longDay(data.today)}
      {data.tonight && ` · tonight planned for ${celsius(data.tonight.celsius)} at ${data.tonight.site}`}
    </>
  );
  return (
    <Frame title="Morning" head={head}>
      {morning.isPending && <Waiting what="the morning’s list" />}
      {morning.error && <Failed error={morning.error} again={() => void morning.refetch()} />}
      {data?.rows.length === 0 && (
        <Text py="20px">No unit is in the register yet. Start with the demo fleet: ./start --fresh</Text>
      )}
      {data && data.rows.length > 0 && (
        <Box maxW="1180px">
          {sections.slice(0, 2).map((s) => (
            <Lines key={s.title} section={s} {...own(data, s)} today={data.today} onMore={more} />
          ))}
          <Lines
            section={checksDue}
            rows={data.pendingChecks}
            count={data.pendingChecks.length}
            today={data.today}
            onMore={more}
          />
          <Nights data={data} />
          <Discrepancies rows={data.discrepancies} />
          {sections.slice(2).map((s) => (
            <Lines key={s.title} section={s} {...own(data, s)} today={data.today} onMore={more} />
          ))}
        </Box>
      )}
    </Frame>
  );
}

function Lines(p: { section: Section; rows: readonly Row[]; count: number; today: string; onMore: () => void }) {
  const { section, rows, count, today } = p;
  if (rows.length === 0 && !section.empty) return null;
  return (
    <Box as="section" mb="22px" aria-label={section.title}>
      <Heading title={section.title} count={count} />
      {rows.length === 0 && (
        <Text color="faint" py="8px">
          {section.empty}
        </Text>
      )}
      <Box as="ul" listStyleType="none">
        {rows.map((r) => (
          <MorningLine key={r.unit.code} row={r} today={today} />
        ))}
      </Box>
      {count > rows.length && (
        <Button variant="ghost" size="sm" color="accent" onClick={p.onMore}>
          show more of the {figure(count - rows.length)} left
        </Button>
      )}
    </Box>
  );
}

/** The units that the next ten nights would catch, by site, each with its coldest night. */
function Nights({ data }: { data: Schemas["Morning"] }) {
  if (data.nights.length === 0) return null;
  return (
    <Box as="section" mb="22px" aria-label="Caught by the next ten nights">
      <Heading title="Caught by the next ten nights" count={data.nights.length} />
      {data.ahead.map((night) => {
        const rows = data.nights.filter((r) => r.unit.site === night.site);
        return (
          rows.length > 0 && (
            <Box key={night.site} role="group" aria-label={night.site}>
              <Text pt="8px" color="faint">
                <Text as="span" fontWeight="700" color="ink">
                  {night.site}
                </Text>
                : {night.forecast ? "forecast" : "by the cold curve"} down to {celsius(night.celsius)} in the night of{" "}
                {weekDay(night.day)}
              </Text>
              <Box as="ul" listStyleType="none">
                {rows.map((r) => (
                  <MorningLine key={r.unit.code} row={r} today={data.today} />
                ))}
              </Box>
            </Box>
          )
        );
      })}
    </Box>
  );
}

function Heading({ title, count }: { title: string; count: number }) {
  return (
    <Flex justify="space-between" fontWeight="700" borderBottomWidth="1px" borderColor="ink" pb="3px">
      <h2>{title}</h2>
      <span className="figures">{figure(count)}</span>
    </Flex>
  );
}

/** Books that do not balance: what was measured, what the book says, and the likeliest cause. */
function Discrepancies({ rows }: { rows: readonly Schemas["DiscrepancyRow"][] }) {
  if (rows.length === 0) return null;
  return (
    <Box as="section" mb="22px" aria-label="Books that do not balance">
      <Heading title="Books that do not balance" count={rows.length} />
      <Box as="ul" listStyleType="none">
        {rows.map((r) => (
          <Flex
            as="li"
            key={r.unit.code}
            gap="12px"
            wrap={{ base: "wrap", lg: "nowrap" }}
            align="center"
            minH="40px"
            py="4px"
            borderBottomWidth="1px"
            borderColor="rule"
          >
            <Link asChild className="figures" fontWeight="700" color="ink" w="72px" ml={{ lg: "96px" }} flexShrink={0}>
              <RouterLink to={`/units/${encodeURIComponent(r.unit.code)}`} data-line="">
                {r.unit.code}
              </RouterLink>
            </Link>
            <Text w={{ lg: "124px", xl: "190px" }} flexShrink={0} lineClamp={1} title={r.unit.name} hideBelow="lg">
              {r.unit.name}
            </Text>
            <Text flex="1" minW="200px">
              Measured {celsius(r.measured)}, the book said {celsius(r.book)}.{" "}
              {r.likeliest && <>Likeliest: {r.likeliest.text}</>}
            </Text>
            <Text className="figures" color="faint" whiteSpace="nowrap">
              {weekDay(r.at)}
            </Text>
            <Box w={{ base: "100%", lg: "138px" }} textAlign={{ base: "left", lg: "right" }}>
              <Action to={`/units/${encodeURIComponent(r.unit.code)}`} label={`reconcile ${r.unit.code}`}>
                reconcile
              </Action>
            </Box>
          </Flex>
        ))}
      </Box>
    </Box>
  );
}

/** What a line asks for; on a phone large enough for a gloved thumb. */
function Action(p: { to: string; label: string; children: string }) {
  return (
    <Link asChild color="accent" fontWeight="700" minH={{ base: "44px", lg: "auto" }} alignItems="center">
      <RouterLink to={p.to} aria-label={p.label}>
        {p.children}
      </RouterLink>
    </Link>
  );
}

function MorningLine({ row, today }: { row: Row; today: string }) {
  const { unit, clock, verdict } = row;
  const next = nextStep(clock, verdict);
  const to = `/units/${encodeURIComponent(unit.code)}`;
  return (
    <Box
      as="li"
      display="grid"
      gridTemplateColumns={{
        base: "64px minmax(0, 1fr) auto",
        lg: "84px 72px 124px minmax(0, 1fr) 152px 138px",
        xl: "84px 72px 190px minmax(0, 1fr) 152px 138px",
      }}
      columnGap="12px"
      alignItems="center"
      minH="40px"
      py="4px"
      borderBottomWidth="1px"
      borderColor="rule"
      _focusWithin={{ bg: "wash" }}
    >
      <Flex align="center" gap="8px" gridRow={{ base: "span 3", lg: "auto" }} direction={{ base: "column", lg: "row" }}>
        <Vial verdict={verdict} left={clock.remaining} />
        <Text as="span" fontSize="13px" color={verdict === "hold" || verdict === "overdue" ? "alarm" : "ink"}>
          {verdictWords[verdict]}
        </Text>
      </Flex>
      <Flex gap="10px" align="baseline" minW="0">
        <Link asChild className="figures" fontWeight="700" color="ink" whiteSpace="nowrap" flexShrink={0}>
          <RouterLink to={to} data-line="">
            {unit.code}
          </RouterLink>
        </Link>
        <Text truncate color="faint" title={unit.name} hideFrom="lg">
          {unit.name}
        </Text>
      </Flex>
      <Text lineClamp={1} title={unit.name} hideBelow="lg">
        {unit.name}
      </Text>
      <Text gridColumn={{ base: "2 / span 2", lg: "auto" }} gridRow={{ base: "2", lg: "auto" }}>
        <b>{clockNames[clock.kind]}</b> {clock.reason.text}
      </Text>
      <Box
        textAlign="right"
        className="figures"
        gridColumn={{ base: "3", lg: "auto" }}
        gridRow={{ base: "1", lg: "auto" }}
      >
        {clock.due ? (
          <>
            <Box whiteSpace="nowrap">{dueText(clock, today)}</Box>
            {clock.days !== undefined && clock.days !== 0 && (
              <Box color="faint" whiteSpace="nowrap">
                {daysAway(clock.days)}
              </Box>
            )}
          </>
        ) : (
          <Box color="faint">{verdict === "sound" ? "no day" : "now"}</Box>
        )}
      </Box>
      <Box textAlign={{ base: "left", lg: "right" }} gridColumn={{ base: "2 / span 2", lg: "auto" }}>
        <Action to={next.write ? `${to}?write=${next.write}` : to} label={`${next.words}: ${unit.code}`}>
          {next.words}
        </Action>
      </Box>
    </Box>
  );
}

/** The one action of a line. */
function nextStep(clock: Clock, verdict: Verdict): { words: string; write?: Schemas["EntryKind"] } {
  if (verdict === "sound") return { words: "open account" };
  switch (clock.reason.code) {
    case "freeze_unknown":
    case "freeze_untrusted":
    case "freeze_stale":
      return { words: "record freeze test", write: "freeze_test" };
    case "level_low":
      return { words: "record top-up", write: "top_up" };
    case "held":
    case "air_trapped":
    case "stop_defect":
    case "found_bad":
      return { words: "open account" };
    case "test_calendar":
    case "test_season":
    case "test_never":
      return { words: "record freeze test", write: "freeze_test" };
    case "cap_calendar":
      return { words: "record cap test", write: "cap_test" };
    case "hose_old":
    case "hose_age_unknown":
    case "hose_calendar":
      return { words: "record hose check", write: "hose_check" };
    case "zero_lapses":
    case "zero_never":
      return { words: "record zero check", write: "zero_check" };
    case "level_falls":
    case "check_level":
    case "check_days":
    case "check_runs":
      return { words: "record level", write: "level_check" };
    case "check_retest":
      return { words: "record freeze test", write: "freeze_test" };
    case "use_no_rate":
    case "use_no_start":
      return { words: "record meter", write: "meter" };
  }
  const renewal = clock.kind === "age" || clock.kind === "use";
  return renewal && verdict !== "watch" ? { words: "record renewal", write: "renewal" } : { words: "open account" };
}
