import { Button, Link, Table } from "@chakra-ui/react";
import { useState } from "react";
import { Link as RouterLink } from "react-router";
import type { Clock } from "../api/client";
import { celsius, figure } from "../words/figures";
import { clockNames, verdictWords } from "../words/names";
import { type Clocks, useClocks } from "./clocks";
import { type Item, type Row, rowsOf } from "./view";

/** How many lines the table shows before it asks. */
const pageful = 500;

const heads = ["unit", "name", "kind", "site", "verdict", "governs", "most likely", "from", "to", "protects to", "why"];

/** The same rows as a table, for screen readers and for paper. */
export function HorizonTable({ items }: { items: readonly Item[] }) {
  const [shown, setShown] = useState(pageful);
  const rows = rowsOf(items);
  const clocks = useClocks(items, 0, shown - 1);
  return (
    <>
      <Table.ScrollArea tabIndex={0} role="region" aria-label="Units in a table">
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
            {rows.slice(0, shown).map((r) => (
              <Table.Row key={r.unit.code} bg="page" data-unit={r.unit.code}>
                {cells(r, clocks.get(r.unit.code)?.[0]).map((c, i) => (
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
      {rows.length > shown && (
        <Button variant="ghost" size="sm" minH="44px" color="accent" onClick={() => setShown(shown + pageful)}>
          show more of the {figure(rows.length - shown)} left
        </Button>
      )}
    </>
  );
}

function cells(r: Row, c: Clock | undefined): string[] {
  const g = r.governing;
  return [
    r.unit.code,
    r.unit.name,
    r.unit.kind,
    r.unit.site,
    verdictWords[r.verdict],
    clockNames[g.kind].toLowerCase(),
    g.due ?? "",
    g.window?.p10 ?? "",
    g.window?.p90 ?? "",
    celsius(r.protectsTo),
    c ? c.reason.text : "…",
  ];
}

/** The rows as a file of comma-separated values (RFC 4180), with the days as ISO dates. */
function csvOf(rows: readonly Row[], clocks: Clocks): string {
  const quote = (v: string) => (/[",\r\n]/.test(v) ? `"${v.replaceAll('"', '""')}"` : v);
  const safe = (v: string) => (/^[=+\-@\t]/.test(v) ? `'${v}` : v); // a spreadsheet would take it for a formula
  const lines = rows.map(({ unit, verdict, governing: g, protectsTo }) => {
    const c = clocks.get(unit.code)?.[0];
    const figures = [protectsTo === undefined ? "" : protectsTo.toFixed(1)];
    const words = [
      unit.code,
      unit.name,
      unit.kind,
      unit.site,
      verdict,
      g.kind,
      g.due ?? "",
      g.window?.p10 ?? "",
      g.window?.p90 ?? "",
    ].map(safe);
    return [...words, ...figures, safe(c ? c.reason.text : "")].map(quote).join(",");
  });
  return [heads.join(","), ...lines].join("\r\n") + "\r\n";
}

export function download(rows: readonly Row[], clocks: Clocks, today: string) {
  const link = document.createElement("a");
  link.href = URL.createObjectURL(new Blob(["\ufeff", csvOf(rows, clocks)], { type: "text/csv;charset=utf-8" }));
  link.download = `horizon-${today}.csv`;
  link.click();
  URL.revokeObjectURL(link.href);
}
