import { Link, Table } from "@chakra-ui/react";
import { Link as RouterLink } from "react-router";
import { celsius } from "../words/figures";
import { clockNames, dueText, reason, verdictWords } from "../words/reasons";
import type { Item, Row } from "./view";

const heads = ["unit", "name", "kind", "site", "verdict", "governs", "most likely", "from", "to", "protects to", "why"];

/** The same rows as a table, for screen readers and for paper. */
export function HorizonTable({ items, today }: { items: readonly Item[]; today: string }) {
  const rows = items.flatMap((i) => ("row" in i ? [i.row] : []));
  return (
    <Table.ScrollArea>
      <Table.Root size="sm" aria-label="Horizon">
        <Table.Header>
          <Table.Row bg="page">
            {heads.map((h) => (
              <Table.ColumnHeader key={h} color="faint" fontSize="13px" px="6px" borderColor="ink">
                {h}
              </Table.ColumnHeader>
            ))}
          </Table.Row>
        </Table.Header>
        <Table.Body>
          {rows.map((r) => (
            <Table.Row key={r.unit.code} bg="page" data-unit={r.unit.code}>
              {cells(r, today).map((c, i) => (
                <Table.Cell
                  key={heads[i]}
                  px="6px"
                  borderColor="rule"
                  verticalAlign="top"
                  whiteSpace={i === heads.length - 1 ? "normal" : "nowrap"}
                  className={i === 0 ? "figures" : undefined}
                >
                  {i === 0 ? (
                    <Link asChild fontWeight="700" color="ink">
                      <RouterLink to={`/units/${encodeURIComponent(r.unit.code)}`}>{c}</RouterLink>
                    </Link>
                  ) : (
                    c
                  )}
                </Table.Cell>
              ))}
            </Table.Row>
          ))}
        </Table.Body>
      </Table.Root>
    </Table.ScrollArea>
  );
}

function cells(r: Row, today: string): string[] {
  const c = r.clocks[0];
  return [
    r.unit.code,
    r.unit.name,
    r.unit.kind,
    r.unit.site,
    verdictWords[r.verdict],
    c ? clockNames[c.kind].toLowerCase() : "",
    c?.due ? (c.window ? c.due : dueText(c, today)) : "",
    c?.window?.p10 ?? "",
    c?.window?.p90 ?? "",
    celsius(r.protectsTo),
    c ? reason(c, r.unit.site) : "",
  ];
}

/** The rows as a file of comma-separated values (RFC 4180), with the days as ISO dates. */
export function csvOf(items: readonly Item[]): string {
  const quote = (v: string) => (/[",\r\n]/.test(v) ? `"${v.replaceAll('"', '""')}"` : v);
  const safe = (v: string) => (/^[=+\-@\t]/.test(v) ? `'${v}` : v); // a spreadsheet would take it for a formula
  const lines = items.flatMap((i) => {
    if (!("row" in i)) return [];
    const { unit, verdict, clocks, protectsTo } = i.row;
    const c = clocks[0];
    const figures = [protectsTo === undefined ? "" : protectsTo.toFixed(1)];
    const words = [
      unit.code,
      unit.name,
      unit.kind,
      unit.site,
      verdict,
      c?.kind ?? "",
      c?.due ?? "",
      c?.window?.p10 ?? "",
      c?.window?.p90 ?? "",
    ].map(safe);
    return [[...words, ...figures, safe(c ? reason(c, unit.site) : "")].map(quote).join(",")];
  });
  return [heads.join(","), ...lines].join("\r\n") + "\r\n";
}

export function download(items: readonly Item[], today: string) {
  const link = document.createElement("a");
  link.href = URL.createObjectURL(new Blob(["\ufeff", csvOf(items)], { type: "text/csv;charset=utf-8" }));
  link.download = `horizon-${today}.csv`;
  link.click();
  URL.revokeObjectURL(link.href);
}
