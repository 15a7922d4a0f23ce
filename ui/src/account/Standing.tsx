import { Box, Button, Flex, Text } from "@chakra-ui/react";
import type { Account, Explanation, Line } from "../api/client";
import { figure, longDay, shortDay } from "../words/figures";
import { explains } from "../words/lines";
import { word, wordsOf } from "../words/names";

/** What balances the books, or the way to it. */
export type Balance = (line: Line, which: number) => void;

/** The last test that does not agree and has not been settled since, with what explains it. */
export function unsettled(account: Account): Line | undefined {
  const tests = account.lines.filter((l) => l.test !== undefined && !l.struck);
  const last = tests.at(-1);
  return last?.explanations && last.explanations.length > 0 ? last : undefined;
}

/** Book and test disagree: the likeliest causes, and the entry that would balance the books. */
export function Disagreement({ account, onBalance }: { account: Account; onBalance?: Balance | undefined }) {
  const line = unsettled(account);
  if (!line?.test || !line.explanations) return null;
  const off = line.test.book === undefined ? 0 : Math.abs(line.test.measured - line.test.book);
  const title = line.test.trusted
    ? `The book and the test of ${shortDay(line.at)} disagree by ${figure(off)}\u00a0K.`
    : `The test of ${shortDay(line.at)} says nothing as it was read.`;
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
      <Box as="ol" listStyleType="none" mt="6px">
        {line.explanations.map((x, i) => (
          <Cause
            key={x.cause}
            x={x}
            first={i === 0}
            onBalance={onBalance && x.balance ? () => onBalance(line, i) : undefined}
          />
        ))}
      </Box>
      {!line.test.trusted && <Text mt="4px">Test again on the right scale.</Text>}
    </Box>
  );
}

function Cause({ x, first, onBalance }: { x: Explanation; first: boolean; onBalance: (() => void) | undefined }) {
  return (
    <Box as="li" mb="8px" fontSize={first ? "15px" : "14px"}>
      <Text>
        {x.weight < 1 && (
          <Text as="span" color="faint">
            {first ? "Likeliest, " : ""}
            <span className="figures">{figure(100 * x.weight)} %</span>:{" "}
          </Text>
        )}
        {explains(x)}
      </Text>
      {onBalance && (
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
          onClick={onBalance}
        >
          {balances[x.cause] ?? "write what balances the books"}
        </Button>
      )}
    </Box>
  );
}

const balances: Partial<Record<Explanation["cause"], string>> = {
  water_added: "write the missing top-up",
  leak_and_refill: "write the missing refill",
  concentrate_added: "write the missing concentrate",
  wrong_scale: "strike it and write it on that scale",
  mixed_wrong: "strike the renewal and write it so",
  fill_volume: "strike the renewal and write it so",
};

/** All that stands besides the clocks: holds, defects, findings, what is owed, leak and chemistry. */
export function Standing({ account }: { account: Account }) {
  const rows: [string, string, boolean][] = [];
  if (account.held)
    rows.push(["held", `${account.held.why} — ${account.held.by}, ${shortDay(account.held.since)}`, true]);
  if (account.air) {
    rows.push([
      "air",
      `${figure(account.air.short, 1)} L less went in than came out: air is trapped; do not release it`,
      true,
    ]);
  }
  for (const d of account.defects)
    rows.push(["defect", `${d.what} (${word(d.severity)}, ${shortDay(d.at)})`, d.severity === "stop"]);
  for (const o of account.owed) rows.push(["owed", `${word(o.what)}, since ${shortDay(o.since)}`, false]);
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
      `${figure(l.rate, digits)} ± ${figure(l.sigma, digits)} L/${perWords[l.per]}: ${figure(l.litres, 1)} L in ${figure(l.events)} ${l.events === 1 ? "entry" : "entries"} since ${shortDay(l.since)}`,
      false,
    ]);
  }
  for (const f of account.findings.filter((f) => f.grade === "bad" || f.grade === "soft")) {
    rows.push([word(f.point), `${wordsOf(f.state)}, ${shortDay(f.at)}`, f.grade === "bad"]);
  }
  const good = account.findings.filter((f) => f.grade === "good");
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
          Found good: {good.map((f) => `${word(f.point)} ${shortDay(f.at)}`).join(" · ")}
        </Text>
      )}
      {rows.length === 0 && good.length === 0 && (
        <Text py="6px" fontSize="14px" color="faint">
          Nobody has looked at cap, hoses or anything else yet.
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
  const tested = c.properties.filter((p) => p.value !== undefined);
  return (
    <Text py="6px" fontSize="14px" color="faint">
      Chemistry of {shortDay(c.at)}:{" "}
      {tested
        .map((p) => {
          const text = `${p.name} ${figure(p.value, (p.value ?? 0) < 20 ? 2 : 0)}, ${p.grade}`;
          return p.reaches ? `${text}, at its limit by ${longDay(p.reaches)}` : text;
        })
        .join(" · ")}
    </Text>
  );
}
