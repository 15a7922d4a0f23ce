import { Box, Button, Flex, Text } from "@chakra-ui/react";
import type { Account, Explanation, Line, Schemas } from "../api/client";
import { figure, inVolume, kelvin, litres, longDay, shortDay } from "../words/figures";

/** What balances the books, or the way to it. */
export type Balance = (line: Line, which: number) => void;

/** Book and test disagree: what may explain it by what it proposes, and the test or the entry that comes next. */
export function Discrepancy(p: {
  account: Account;
  onBalance?: Balance | undefined;
  onTest?: (() => void) | undefined;
}) {
  const { discrepancy } = p.account;
  const line = discrepancy?.test;
  if (!discrepancy || !line?.test) return null;
  const { test, explanations = [] } = line;
  const off = test.book === undefined ? 0 : Math.abs(test.measured - test.book);
  const title = test.trusted
    ? `The book and the test of ${shortDay(line.at)} disagree by ${kelvin(off)}.`
    : `The test of ${shortDay(line.at)} cannot be used as it was read.`;
  const retest = !discrepancy.confirmed;
  const apart = explanations.find((x) => x.distinguish)?.distinguish;
  return (
    <Box
      as="section"
      aria-label="Book and test disagree"
      borderWidth="1px"
      borderLeftWidth="5px"
      borderColor="alarm"
      p="12px"
      my="16px"
    >
      <Text as="h2" fontWeight="700">
        {title}
      </Text>
      {discrepancy.waits && (
        <Text mt="4px">It reads colder than the book: the book counts until a second, zeroed test shows the same.</Text>
      )}
      {retest && (
        <Text mt="4px">
          {apart ? distinguishWords[apart] : "Test a second time first: then the books can be balanced."}{" "}
          {p.onTest && <Act onClick={p.onTest}>record a second freeze test</Act>}
        </Text>
      )}
      <Box as="ol" listStyleType="none" mt="6px">
        {explanations.map((x, i) => (
          <Cause
            key={x.cause}
            x={x}
            first={i === 0 || x.distinguish !== undefined}
            onBalance={p.onBalance && x.balance && !retest ? () => p.onBalance?.(line, i) : undefined}
          />
        ))}
      </Box>
    </Box>
  );
}

const distinguishWords: Record<NonNullable<Explanation["distinguish"]>, string> = {
  second_instrument:
    "Two explanations are about as likely. A second reading with another instrument distinguishes them.",
  other_scale:
    "Two explanations are about as likely. A second reading, on the other glycol’s scale, distinguishes them.",
};

/** What may be recorded, as a line of the text. */
function Act({ onClick, children }: { onClick: () => void; children: React.ReactNode }) {
  return (
    <Button
      variant="plain"
      size="sm"
      px="0"
      minH="32px"
      h="auto"
      color="accent"
      fontWeight="700"
      whiteSpace="normal"
      textAlign="left"
      onClick={onClick}
    >
      {children}
    </Button>
  );
}

function Cause({ x, first, onBalance }: { x: Explanation; first: boolean; onBalance: (() => void) | undefined }) {
  return (
    <Box as="li" mb="8px" fontSize={first ? "15px" : "14px"}>
      <Text>
        <Text as="span" color="faint" fontWeight={first ? "700" : undefined}>
          {x.likelihood}:{" "}
        </Text>
        {x.text}
      </Text>
      {onBalance && <Act onClick={onBalance}>{balances[x.cause] ?? "record what balances the books"}</Act>}
    </Box>
  );
}

const balances: Partial<Record<Explanation["cause"], string>> = {
  water_added: "record the missing top-up, marked as inferred",
  leak_and_refill: "record the missing refill, marked as inferred",
  concentrate_added: "record the missing concentrate, marked as inferred",
  wrong_scale: "strike the test and record it on that scale",
  mixed_wrong: "strike the renewal and record it so",
  fill_volume: "strike the renewal and record it so",
  stayed_inside: "strike the renewal and record what stayed inside",
};

/** What stops a unit, in a word. */
const stopNames: Record<Schemas["Stop"]["cause"], string> = {
  hold: "held",
  air_trapped: "air",
  coolant: "coolant",
  defect: "defect",
  finding: "finding",
  return: "unreleased",
  level: "level",
};

const severityNames: Record<Schemas["OpenDefect"]["severity"], string> = {
  stop: "must not run",
  repair: "repair",
  watch: "watch",
};

/** Points that have a clock and a list of their own. */
const ownClock: ReadonlySet<string> = new Set(["chemistry", "product"]);

/** All that stands besides the clocks: holds, defects, findings, what is owed, leak and chemistry. */
export function Standing({ account }: { account: Account }) {
  const rows: [string, string, boolean][] = [];
  for (const s of account.stops) rows.push([stopNames[s.cause], `${s.text} (${shortDay(s.at)})`, true]);
  for (const d of account.defects.filter((d) => !account.stops.some((s) => s.cause === "defect" && s.entry === d.id)))
    rows.push(["defect", `${d.what} (${severityNames[d.severity]}, ${shortDay(d.at)})`, false]);
  for (const o of account.pendingChecks) rows.push(["to check", `${o.text}, since ${shortDay(o.since)}`, false]);
  if (account.laidUp)
    rows.push([
      "laid up",
      [`since ${shortDay(account.laidUp.since)}`, account.laidUp.why].filter(Boolean).join(": "),
      false,
    ]);
  if (account.leak) {
    const l = account.leak;
    const digits = l.rate < 0.095 ? 3 : 2;
    rows.push([
      "loses",
      `${figure(inVolume(l.rate), digits)} ± ${litres(l.sigma, digits)}/${perWords[l.per]}: ${litres(l.litres)} in ${figure(l.events)} ${l.events === 1 ? "entry" : "entries"} since ${shortDay(l.since)}`,
      false,
    ]);
  }
  for (const f of account.findings.filter((f) => !ownClock.has(f.point) && (f.grade === "bad" || f.grade === "soft"))) {
    rows.push([f.label, `${f.text}, ${shortDay(f.at)}`, f.grade === "bad"]);
  }
  const good = account.findings.filter((f) => !ownClock.has(f.point) && f.grade === "good");
  return (
    <Box as="section" aria-label="Findings" mt="16px">
      <Text as="h2" color="faint" fontSize="13px" borderBottomWidth="1px" borderColor="ink" pb="3px">
        what was found
      </Text>
      {rows.map(([name, text, bad]) => (
        <Flex key={name + text} gap="10px" py="6px" borderBottomWidth="1px" borderColor="rule" align="baseline">
          <Text w="92px" flexShrink={0} fontWeight="700" color={bad ? "alarm" : undefined}>
            {name}
          </Text>
          <Text flex="1" fontSize="14px">
            {text}
          </Text>
        </Flex>
      ))}
      {good.length > 0 && (
        <Text py="6px" fontSize="14px" color="faint">
          Found good: {good.map((f) => `${f.label} ${shortDay(f.at)}`).join(" · ")}
        </Text>
      )}
      {rows.length === 0 && good.length === 0 && (
        <Text py="6px" fontSize="14px" color="faint">
          Cap, hoses and other points were not inspected yet.
        </Text>
      )}
      <ChemistryOf account={account} />
    </Box>
  );
}

const perWords: Record<string, string> = { "1000km": "1000 km", "100h": "100 h", month: "month" };

function ChemistryOf({ account }: { account: Account }) {
  const c = account.chemistry;
  if (!c) return null;
  const tested = c.properties.filter((p) => p.at !== undefined);
  const untested = c.properties.filter((p) => p.at === undefined);
  return (
    <Box mt="10px" as="section" aria-label="Chemistry">
      <Text as="h2" color="faint" fontSize="13px" borderBottomWidth="1px" borderColor="ink" pb="3px">
        chemistry
      </Text>
      {tested.map((p) => (
        <Flex key={p.name} gap="10px" py="5px" borderBottomWidth="1px" borderColor="rule" fontSize="14px">
          <Text
            flex="1"
            fontWeight={p.grade === "bad" ? "700" : undefined}
            color={p.grade === "bad" ? "alarm" : undefined}
          >
            {p.words}
            {p.reaches ? `, at its limit by ${longDay(p.reaches)}` : ""}
          </Text>
          <Text className="figures" color="faint" whiteSpace="nowrap">
            {p.at && shortDay(p.at)}
          </Text>
        </Flex>
      ))}
      {untested.length > 0 && (
        <Text py="5px" fontSize="14px" color="faint">
          Not tested: {untested.map((p) => p.name).join(", ")}.
        </Text>
      )}
      {c.proposals.map((p) => (
        <Text key={p.words} py="5px" fontSize="14px" fontWeight="700">
          {p.words}
        </Text>
      ))}
    </Box>
  );
}
