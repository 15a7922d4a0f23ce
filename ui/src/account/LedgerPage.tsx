import { useEffect } from "react";
import { flushSync } from "react-dom";
import { Box, Button, Flex, Menu, Portal, Table, Text } from "@chakra-ui/react";
import type { Account, EntryKind, Line } from "../api/client";
import {
  asRead,
  figure,
  inMeter,
  inTemperature,
  inVolume,
  kilopascals,
  litres,
  meterSymbol,
  nothing,
  shortDay,
  unitOf,
} from "../words/figures";
import { kindNames } from "../words/names";
import { SelectField } from "./fields";

/** How many lines stand before more are asked for; all of them are printed. */
export const pageful = 60;
const more = 500;

interface Props {
  account: Account;
  /** Kind to show alone; empty for all. */
  only: string;
  /** How many lines are shown. */
  shown: number;
  onShow: (lines: number) => void;
  onCorrect?: ((line: Line) => void) | undefined;
  onStrike?: ((line: Line) => void) | undefined;
}

/** The ledger page of a unit: every line with what the books say after it, the newest first. */
export function LedgerPage({ account, only, shown, onShow, onCorrect, onStrike }: Props) {
  // Paper has room for all lines, however the page comes to be printed.
  useEffect(() => {
    const print = () => flushSync(() => onShow(Number.MAX_SAFE_INTEGER));
    window.addEventListener("beforeprint", print);
    return () => window.removeEventListener("beforeprint", print);
  }, [onShow]);
  const unit = account.meterUnit ? meterSymbol(account.meterUnit) : "";
  if (account.lines.length === 0) {
    return (
      <Text py="16px">Nothing is recorded in this account yet. Begin with an opening, a renewal or a freeze test.</Text>
    );
  }
  const lines = account.lines.filter((l) => only === "" || l.kind === only).toReversed();
  return (
    <>
      <Table.ScrollArea>
        <Table.Root size="sm" variant="line" aria-label="Ledger">
          <Table.Header>
            <Table.Row bg="page">
              <Head>date</Head>
              <Head>entry</Head>
              <Head right>{unitOf("volume")}</Head>
              <Head right>glycol %</Head>
              <Head right>{`freezes ${unitOf("temperature")}`}</Head>
              {unit && <Head right>{`${unit} since`}</Head>}
              {onStrike && <Head>{""}</Head>}
            </Table.Row>
          </Table.Header>
          <Table.Body>
            {lines.slice(0, shown).map((line) => (
              <LedgerLine
                key={line.id}
                line={line}
                meter={account.meterUnit}
                onCorrect={onCorrect}
                onStrike={onStrike}
                named={strikesWhat(line, account.lines)}
              />
            ))}
          </Table.Body>
        </Table.Root>
      </Table.ScrollArea>
      {lines.length > shown && (
        <Button
          variant="ghost"
          size="sm"
          minH="44px"
          color="accent"
          className="no-print"
          onClick={() => onShow(shown + more)}
        >
          show more of the {figure(lines.length - shown)} older lines
        </Button>
      )}
    </>
  );
}

/** Which lines are shown, and the way to paper. */
export function LedgerTools(p: { account: Account; only: string; onOnly: (kind: string) => void }) {
  const kinds = countKinds(p.account.lines);
  return (
    <Flex align="center" gap="6px" className="no-print" ml="auto">
      <SelectField
        label="lines shown"
        hidden
        width="150px"
        value={kinds.some(([k]) => k === p.only) ? p.only : ""}
        options={[
          ["", `all kinds (${p.account.lines.length})`],
          ...kinds.map(([k, n]) => [k, `${kindNames[k].toLowerCase()} (${n})`] as const),
        ]}
        onChange={p.onOnly}
      />
      <Button size="sm" minH="44px" variant="ghost" color="accent" fontWeight="700" onClick={() => window.print()}>
        print
      </Button>
    </Flex>
  );
}

function countKinds(lines: readonly Line[]): [EntryKind, number][] {
  const counts = new Map<EntryKind, number>();
  for (const l of lines) counts.set(l.kind, (counts.get(l.kind) ?? 0) + 1);
  return [...counts].sort((a, b) => kindNames[a[0]].localeCompare(kindNames[b[0]]));
}

/** What a strike voids, in short. */
function strikesWhat(line: Line, lines: readonly Line[]): string {
  const target = lines.find((l) => l.id === line.body.strike?.entry);
  return target ? `${kindNames[target.kind].toLowerCase()} of ${shortDay(target.at)}: ` : "";
}

function Head({ right, children }: { right?: boolean; children: string }) {
  return (
    <Table.ColumnHeader color="faint" fontSize="13px" px="6px" textAlign={right ? "right" : "left"} borderColor="ink">
      {children}
    </Table.ColumnHeader>
  );
}

function LedgerLine(p: {
  line: Line;
  meter: Account["meterUnit"];
  named: string;
  onCorrect: Props["onCorrect"];
  onStrike: Props["onStrike"];
}) {
  const { line } = p;
  const struck = line.struck;
  const compared = struck ? "" : (line.test?.text ?? "");
  const off = line.test?.trusted === true && line.test.book !== undefined && !line.test.agrees;
  const bare = line.kind === "strike" || struck !== undefined;
  return (
    <Table.Row
      bg="page"
      data-line=""
      data-kind={line.kind}
      data-id={line.id}
      data-struck={struck ? "" : undefined}
      tabIndex={-1}
      _focus={{ bg: "wash" }}
    >
      <Table.Cell className="figures" px="6px" whiteSpace="nowrap" borderColor="rule" verticalAlign="top">
        {shortDay(line.at)}
      </Table.Cell>
      <Table.Cell px="6px" borderColor="rule" whiteSpace="normal" minW={{ base: "150px", md: "240px" }}>
        <Text as={struck ? "del" : "span"} color={struck ? "faint" : undefined}>
          <b>{kindNames[line.kind]}</b> {p.named}
          {line.text}
        </Text>
        {compared && (
          <Text as="span" color={off ? "alarm" : "faint"}>
            {" "}
            · {compared}
          </Text>
        )}
        {line.grade === "bad" && (
          <Text as="span" color="alarm">
            {" "}
            · bad
          </Text>
        )}
        {line.notes.map((n) => (
          <Text as="span" key={n.code} color={n.warning ? "alarm" : "faint"}>
            {" "}
            · {n.text}
            {line.implied !== undefined && /implied|level_/.test(n.code) && ` (${litres(line.implied)})`}
            {n.code === "air_trapped" && line.turnover && ` (${litres(line.turnover.short)})`}
            {n.code === "partial_drain" && line.turnover && ` (${figure(100 * line.turnover.share)}\u00a0% new)`}
          </Text>
        ))}
        <Text as="span" fontSize="13px" color="faint">
          {" — "}
          {line.recordedBy}
          {line.recordedAt && shortDay(line.recordedAt) !== shortDay(line.at)
            ? `, recorded ${shortDay(line.recordedAt)}`
            : ""}
        </Text>
        {struck && (
          <Text fontSize="13px" color="alarm">
            struck by {struck.by}, {shortDay(struck.at)}: {struck.why}
          </Text>
        )}
      </Table.Cell>
      <Figure>{bare ? "" : figure(inVolume(line.after.litres), 1)}</Figure>
      <Figure>{bare ? "" : figure(line.after.glycol)}</Figure>
      <Figure strong>
        {bare ? "" : line.after.freeze === undefined ? nothing : figure(inTemperature(line.after.freeze))}
      </Figure>
      {p.meter && <Figure>{bare ? "" : figure(inMeter(line.after.used, p.meter))}</Figure>}
      {p.onStrike && (
        <Table.Cell px="0" py="0" borderColor="rule" verticalAlign="top" className="no-print">
          {!bare && <LineMenu {...p} />}
        </Table.Cell>
      )}
    </Table.Row>
  );
}

function LineMenu({
  line,
  onCorrect,
  onStrike,
}: {
  line: Line;
  onCorrect: Props["onCorrect"];
  onStrike: Props["onStrike"];
}) {
  return (
    <Menu.Root lazyMount unmountOnExit>
      <Menu.Trigger asChild>
        <Button
          variant="ghost"
          size="xs"
          minW="32px"
          minH="32px"
          color="faint"
          aria-label={`correct or strike: ${kindNames[line.kind]} of ${shortDay(line.at)}`}
        >
          ⋯
        </Button>
      </Menu.Trigger>
      <Portal>
        <Menu.Positioner>
          <Menu.Content borderRadius="0" bg="page" borderWidth="1px" borderColor="ink">
            <Menu.Item value="correct" minH="44px" onClick={() => onCorrect?.(line)}>
              correct it: strike and record again
            </Menu.Item>
            <Menu.Item value="strike" minH="44px" onClick={() => onStrike?.(line)}>
              strike it
            </Menu.Item>
          </Menu.Content>
        </Menu.Positioner>
      </Portal>
    </Menu.Root>
  );
}

function Figure({ strong, children }: { strong?: boolean; children: string }) {
  return (
    <Table.Cell
      className="figures"
      px="6px"
      textAlign="right"
      verticalAlign="top"
      fontWeight={strong ? "700" : "400"}
      borderColor="rule"
    >
      {children}
    </Table.Cell>
  );
}

/** What is inside, in one line. */
export function inside(account: Account): string {
  const b = account.balance;
  return [
    account.unit.name,
    account.unit.site,
    b.litres === undefined ? `${litres(account.capacity)} system, charge not known` : litres(b.litres),
    account.product ? account.product.name : account.base ? `${account.base}, product not known` : "coolant not known",
    account.cap === undefined ? "" : `cap ${kilopascals(account.cap)}`,
    lastMeter(account),
  ]
    .filter(Boolean)
    .join(" · ");
}

function lastMeter(account: Account): string {
  for (const line of account.lines.toReversed()) {
    if (line.struck || line.notes.some((n) => n.code === "meter_outlier")) continue;
    const b = line.body;
    const read = b.meter?.meter ?? b.meterChange?.new ?? b.renewal?.meter ?? b.opening?.meter;
    if (read) return asRead(read);
  }
  return "";
}

/** What stands under the account's name: everything that is blended in. */
export function Blended({ account }: { account: Account }) {
  if (account.blended.length === 0) return null;
  return (
    <Box color="alarm" fontSize="14px">
      Also poured in since the renewal: {account.blended.map((p) => `${p.name} (${p.technology})`).join(", ")}
      {account.foreign >= 0.005 ? `; foreign: ${figure(100 * account.foreign)}\u00a0% of the charge` : ""}.
    </Box>
  );
}
