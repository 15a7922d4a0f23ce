import { Table, Text } from "@chakra-ui/react";
import type { Account, Line } from "../api/client";
import { asRead, figure, nothing, shortDay, symbols } from "../words/figures";
import { kindNames, reconciles, says } from "../words/lines";
import { noteWords } from "../words/reasons";

/** The ledger page of a unit: every line with what the books say after it, the newest first. */
export function LedgerPage({ account }: { account: Account }) {
  const unit = account.meterUnit ? symbols[account.meterUnit] : "";
  if (account.lines.length === 0) {
    return <Text py="16px">Nothing is written in this account yet. Begin with a fill, or with a freeze test.</Text>;
  }
  return (
    <Table.ScrollArea>
      <Table.Root size="sm" variant="line" aria-label="Ledger">
        <Table.Header>
          <Table.Row bg="page">
            <Head>date</Head>
            <Head>entry</Head>
            <Head right>litres</Head>
            <Head right>glycol %</Head>
            <Head right>freezes °C</Head>
            {unit && <Head right>{unit} since fill</Head>}
          </Table.Row>
        </Table.Header>
        <Table.Body>
          {account.lines.toReversed().map((line) => (
            <LedgerLine key={line.id} line={line} meter={unit !== ""} />
          ))}
        </Table.Body>
      </Table.Root>
    </Table.ScrollArea>
  );
}

function Head({ right, children }: { right?: boolean; children: string | string[] }) {
  return (
    <Table.ColumnHeader color="faint" fontSize="13px" px="6px" textAlign={right ? "right" : "left"} borderColor="ink">
      {children}
    </Table.ColumnHeader>
  );
}

function LedgerLine({ line, meter }: { line: Line; meter: boolean }) {
  const compared = reconciles(line);
  const off = line.test?.trusted === true && line.test.book !== undefined && !line.test.agrees;
  return (
    <Table.Row bg="page" data-line="" data-kind={line.kind} tabIndex={-1}>
      <Table.Cell className="figures" px="6px" whiteSpace="nowrap" borderColor="rule" verticalAlign="top">
        {shortDay(line.at)}
      </Table.Cell>
      <Table.Cell px="6px" borderColor="rule" whiteSpace="normal" minW={{ base: "150px", md: "240px" }}>
        <b>{kindNames[line.kind]}</b> {says(line)}
        {compared && (
          <Text as="span" color={off ? "alarm" : "faint"}>
            {" "}
            · {compared}
          </Text>
        )}
        {line.notes.map((n) => (
          <Text as="span" key={n} color={n === "implied_loss" || n === "volume_assumed" ? "faint" : "alarm"}>
            {" "}
            · {noteWords[n]}
            {n === "implied_loss" && ` (${figure(line.impliedLoss, 1)}\u00a0L)`}
          </Text>
        ))}
        <Text as="span" fontSize="13px" color="faint" whiteSpace="nowrap">
          {" — "}
          {line.recordedBy}
          {line.recordedAt && shortDay(line.recordedAt) !== shortDay(line.at)
            ? `, written ${shortDay(line.recordedAt)}`
            : ""}
        </Text>
      </Table.Cell>
      <Figure>{figure(line.after.litres, 1)}</Figure>
      <Figure>{figure(line.after.glycol)}</Figure>
      <Figure strong>{line.after.freeze === undefined ? nothing : figure(line.after.freeze)}</Figure>
      {meter && <Figure>{figure(line.after.used)}</Figure>}
    </Table.Row>
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
    b.litres === undefined ? `${figure(account.capacity, 1)} L system, charge unknown` : `${figure(b.litres, 1)} L`,
    account.product ? account.product.name : account.base ? `${account.base}, product unknown` : "coolant unknown",
    lastMeter(account),
  ]
    .filter(Boolean)
    .join(" · ");
}

function lastMeter(account: Account): string {
  for (const line of account.lines.toReversed()) {
    const read = line.kind === "meter" ? line.reading : line.meter;
    if (read) return asRead(read);
  }
  return "";
}
