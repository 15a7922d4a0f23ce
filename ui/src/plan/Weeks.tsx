import { figure, weekDay } from "../words/figures";
import { type Board, weekNumber } from "./carry";

/** A quarter at a glance: for each bay and week how many jobs, and the share of its hours that they take. */
export function Weeks({ board, onWeek }: { board: Board; onWeek: (monday: string) => void }) {
  const mondays = board.days.filter((_, n) => n % 7 === 0).map((d) => d.day);
  const sum = (all: readonly number[], week: number) => all.slice(7 * week, 7 * week + 7).reduce((a, b) => a + b, 0);
  return (
    <div className="board-frame" role="region" aria-label="The board" tabIndex={0}>
      <table className="board weeks" aria-label="Weeks across, bays down">
        <colgroup>
          <col className="bay-column" />
        </colgroup>
        <thead>
          <tr>
            <th scope="col">
              <span className="hidden-label">bay</span>
            </th>
            {mondays.map((m) => (
              <th
                key={m}
                scope="col"
                className={
                  m <= board.today &&
                  board.today <= (board.days[board.days.findIndex((d) => d.day === m) + 6]?.day ?? "")
                    ? "is-today"
                    : ""
                }
              >
                <button
                  type="button"
                  className="act line"
                  onClick={() => onWeek(m)}
                  aria-label={`week ${weekNumber(m)}, from ${weekDay(m)}`}
                >
                  <span className="figures">{weekNumber(m)}</span>
                </button>
              </th>
            ))}
          </tr>
        </thead>
        {board.sites.map((site) => (
          <tbody key={site.id}>
            <tr className="site-row">
              <th scope="rowgroup">{site.name}</th>
              {mondays.map((m, w) => (
                <td
                  key={m}
                  className={
                    board.days
                      .slice(7 * w, 7 * w + 7)
                      .some((d) => site.seasons.some((s) => s.from <= d.day && d.day <= s.to))
                      ? "cold-season"
                      : ""
                  }
                />
              ))}
            </tr>
            {board.bays.map(
              (bay) =>
                bay.bay.site === site.id && (
                  <tr key={bay.name}>
                    <th scope="row">{bay.name}</th>
                    {mondays.map((m, w) => {
                      const hours = sum(bay.hours, w);
                      const open = sum(bay.open, w);
                      const days = board.days.slice(7 * w, 7 * w + 7).map((d) => d.day);
                      const jobs = board.jobs.filter(
                        (j) =>
                          j.place &&
                          days.includes(j.place.day) &&
                          j.place.bay.site === bay.bay.site &&
                          j.place.bay.kind === bay.bay.kind &&
                          j.place.bay.number === bay.bay.number,
                      );
                      return (
                        <td key={m} className="bay" title={jobs.map((j) => j.unit).join(", ") || undefined}>
                          {jobs.length > 0 && <span className="figures">{figure(jobs.length)}</span>}
                          {hours > 0 && open > 0 && (
                            <span
                              className="fill"
                              role="img"
                              aria-label={`${figure(hours, 1)} of ${figure(open)} hours`}
                              style={{ width: `${100 * Math.min(1, hours / open)}%` }}
                            />
                          )}
                        </td>
                      );
                    })}
                  </tr>
                ),
            )}
          </tbody>
        ))}
        <tbody className="people">
          {board.technicians.map((t) => (
            <tr key={t.id}>
              <th scope="row">{t.name}</th>
              {mondays.map((m, w) => (
                <td key={m} className="hours figures">
                  <b>{figure(sum(t.hours, w))}</b>
                  <span className="faint">/{figure(sum(t.has, w))}</span>
                </td>
              ))}
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  );
}
