import { useEffect, useState } from "react";
import { Link as RouterLink } from "react-router";
import { type FileFormat, download } from "../words/csv";
import { celsius, figure, longDay } from "../words/figures";
import { clockName, verdictWords } from "../words/names";
import { type Row, governingOf } from "./view";

/** How many lines the table shows before it asks. */
const pageful = 300;

const heads = ["unit", "name", "kind", "site", "verdict", "governs", "most likely", "from", "to", "protects to", "why"];

/** The same rows as a table, for screen readers and for paper. */
export function HorizonTable(p: {
  rows: ReadonlyMap<number, Row> | readonly Row[];
  count: number;
  onSight: (sight: readonly [number, number]) => void;
}) {
  const [shown, setShown] = useState(pageful);
  const { onSight } = p;
  useEffect(() => onSight([0, shown - 1]), [onSight, shown]);
  const rows = Array.isArray(p.rows) ? (p.rows as readonly Row[]) : inOrder(p.rows as ReadonlyMap<number, Row>, shown);
  return (
    <>
      <div className="scrolled" tabIndex={0} role="region" aria-label="Units in a table">
        <table className="rows" aria-label="Horizon">
          <thead>
            <tr>
              {heads.map((h) => (
                <th key={h}>{h}</th>
              ))}
            </tr>
          </thead>
          <tbody>
            {rows.map((r) => (
              <tr key={r.unit.code} data-unit={r.unit.code}>
                {cells(r).map((c, i) => (
                  <td
                    key={heads[i]}
                    className={i === 0 ? "figures tight" : i === heads.length - 1 ? undefined : "tight"}
                  >
                    {i === 0 ? (
                      <RouterLink className="code" to={`/units/${encodeURIComponent(r.unit.code)}`}>
                        {c}
                      </RouterLink>
                    ) : (
                      c
                    )}
                  </td>
                ))}
              </tr>
            ))}
          </tbody>
        </table>
      </div>
      {p.count > shown && (
        <button type="button" className="act" onClick={() => setShown(shown + pageful)}>
          show more of the {figure(p.count - shown)} left
        </button>
      )}
    </>
  );
}

/** The rows that have come, by place, up to a number. */
const inOrder = (rows: ReadonlyMap<number, Row>, most: number): Row[] =>
  [...rows]
    .filter(([place]) => place < most)
    .sort(([a], [b]) => a - b)
    .map(([, row]) => row);

function cells(r: Row): string[] {
  const g = governingOf(r);
  return [
    r.unit.code,
    r.unit.name,
    r.unit.kind,
    r.unit.site,
    verdictWords[r.verdict],
    clockName(g),
    ...[g.due, g.window?.p10, g.window?.p90].map((day) => (day ? longDay(day) : "")),
    celsius(r.protectsTo),
    g.reason.text,
  ];
}

/** Hands the rows over as a file, with the days as ISO dates and the protection in °C. */
export function downloadHorizon(as: FileFormat, rows: readonly Row[], today: string) {
  return download(
    as,
    `horizon-${today}`,
    heads.map((h) => (h === "protects to" ? "protects to, °C" : h)),
    rows.map((row) => {
      const { unit, verdict, protectsTo } = row;
      const g = governingOf(row);
      return [
        unit.code,
        unit.name,
        unit.kind,
        unit.site,
        verdict,
        clockName(g),
        g.due,
        g.window?.p10,
        g.window?.p90,
        protectsTo === undefined ? undefined : Number(protectsTo.toFixed(1)),
        g.reason.text,
      ];
    }),
  );
}
