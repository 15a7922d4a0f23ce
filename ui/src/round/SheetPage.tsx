import { useQuery } from "@tanstack/react-query";
import { useSearchParams } from "react-router";
import { api } from "../api/client";
import { Frame } from "../frame/Frame";
import { Failed, Waiting } from "../frame/State";
import { dayTime } from "../words/figures";

/** Levels as they are circled on the sheet and typed at the desk, from above. */
export const levelDigits = ["above", "max", "between", "min", "below", "empty"] as const;

/** A blank sheet of a walk, to be printed and carried. */
export function SheetPage() {
  const [params] = useSearchParams();
  const query = { site: params.get("site") ?? undefined, row: params.get("row") ?? undefined };
  const walk = useQuery({
    queryKey: ["walk-sheet", query],
    queryFn: ({ signal }) => api.walk(query, signal),
    retry: false,
  });
  if (walk.isPending) return <Waiting what="the sheet" />;
  if (!walk.data)
    return (
      <Frame title="Sheet" head="" here="round">
        <Failed error={walk.error} again={() => void walk.refetch()} />
      </Frame>
    );
  const cautions = [...new Set(walk.data.units.flatMap((u) => u.view.cautions))].slice(0, 3);
  return (
    <Frame title="Sheet" head={walk.data.title} here="round">
      <p className="no-print">
        <button type="button" className="choice go" onClick={() => window.print()}>
          print
        </button>
      </p>
      <h2 className="heading">
        {walk.data.title} <span className="faint">printed {dayTime(walk.data.now)}</span>
      </h2>
      <p className="sheet-head">
        date and time ____________________ name ____________________ tester ____________________ on water ________
      </p>
      <p className="sheet-head">
        level: 1 above the upper mark, 2 at it, 3 between, 4 at the lower mark, 5 below, 6 empty · cap: 1 home and good,
        2 not home, 3 seal bad · hoses: 1 all good, 2 see note
      </p>
      <div className="sheet-scroll" tabIndex={0} role="region" aria-label="Sheet">
        <table className="blank-sheet">
          <thead>
            <tr>
              <th>place</th>
              <th>unit</th>
              <th>owed</th>
              <th>cold / hot</th>
              <th>level</th>
              <th>freeze</th>
              <th>cap</th>
              <th>hoses</th>
              <th>meter</th>
              <th>note</th>
            </tr>
          </thead>
          <tbody>
            {walk.data.units.flatMap((u) =>
              u.view.circuits.map((c) => (
                <tr key={c.address}>
                  <td>{u.place}</td>
                  <td>
                    <b className="figures">{c.address}</b>
                    <small>{u.unit.name}</small>
                  </td>
                  <td className="owed-cell">
                    {c.owed
                      .slice(0, 2)
                      .map((o) => o.text)
                      .join(" · ")}
                  </td>
                  <td>c / h</td>
                  <td>1 2 3 4 5 6</td>
                  <td />
                  <td>1 2 3</td>
                  <td>1 2</td>
                  <td />
                  <td className="note-cell" />
                </tr>
              )),
            )}
          </tbody>
        </table>
      </div>
      <ul className="sheet-head">
        {cautions.map((c) => (
          <li key={c}>{c}</li>
        ))}
      </ul>
    </Frame>
  );
}
