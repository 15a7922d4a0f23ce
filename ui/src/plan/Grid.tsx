import { useDraggable, useDroppable } from "@dnd-kit/core";
import { type KeyboardEvent, type ReactNode, memo } from "react";
import { UnitCode, unitOfAddress } from "../marks/UnitCode";
import { figure, weekDay } from "../words/figures";
import { workNames } from "../words/names";
import { type Board, type Carry, type Cell, type PlanJob, type PlanOption, cellOf, sameCell, within } from "./carry";

interface Props {
  board: Board;
  selected: PlanJob | undefined;
  carry: Carry | undefined;
  /** What the carried job would break and cost, by day and bay; undefined while it is asked for. */
  options: readonly (readonly PlanOption[])[] | undefined;
  mayMove: boolean;
  moving: number | undefined;
  onSelect: (job: PlanJob) => void;
  onKey: (event: KeyboardEvent, job: PlanJob) => void;
}

/** Days across, bays down, the hours of people under them. */
export function Grid(p: Props) {
  const { board } = p;
  const shown = p.carry?.job ?? p.selected;
  const shut = board.days.map((_, n) => board.sites.every((s) => s.open[n] === 0));
  const free = shut.every((s) => s) ? shut.map(() => false) : shut;
  // A night that has come draws no line: every day is past it.
  const caught = shown?.night !== undefined && shown.night > board.today ? shown.night : undefined;
  // Nights that catch a job of the list, at its site: lines that its place does not cross.
  const nights = new Map<string, string[]>();
  for (const j of board.jobs)
    if (j.night !== undefined && j.night > board.today && j.state !== "done")
      for (const key of [j.night, `${j.night} ${j.site}`]) nights.set(key, [...(nights.get(key) ?? []), j.unit]);
  const dayClass = (n: number, rest = "") =>
    [
      rest,
      free[n] ? "free-day" : "",
      board.days[n]?.day === board.today ? "is-today" : "",
      board.days[n]?.past ? "past" : "",
      caught !== undefined && board.days[n]?.day === caught ? "night" : "",
      caught !== undefined && (board.days[n]?.day ?? "") >= caught ? "beyond" : "",
    ].join(" ");
  return (
    <div className="board-frame" role="region" aria-label="The board" tabIndex={0}>
      <table className="board" aria-label="Days across, bays down">
        <colgroup>
          <col className="bay-column" />
          {board.days.map((d, n) => (
            <col key={d.day} className={free[n] ? "free-column" : "day-column"} />
          ))}
        </colgroup>
        <thead>
          <tr>
            <th scope="col" className="corner">
              <span className="hidden-label">bay</span>
            </th>
            {board.days.map((d, n) => (
              <th
                key={d.day}
                scope="col"
                className={dayClass(n, [d.agreed ? "agreed" : "", nights.has(d.day) ? "hard-night" : ""].join(" "))}
                aria-label={
                  weekDay(d.day) +
                  (d.agreed ? ", agreed" : "") +
                  (nights.has(d.day) ? `, a night that would catch ${nights.get(d.day)?.join(", ") ?? ""}` : "")
                }
                title={nights.has(d.day) ? `would catch ${nights.get(d.day)?.join(", ") ?? ""}` : undefined}
              >
                <span className="figures">{weekDay(d.day).replace(" ", "\n")}</span>
              </th>
            ))}
          </tr>
        </thead>
        {board.sites.map((site) => (
          <tbody key={site.id} data-site={site.name}>
            <tr className="site-row">
              <th scope="rowgroup">{site.name}</th>
              {board.days.map((d, n) => (
                <td
                  key={d.day}
                  className={dayClass(
                    n,
                    [
                      within(d.day, site.seasons) ? "cold-season" : "",
                      nights.has(`${d.day} ${site.name}`) ? "hard-night" : "",
                    ].join(" "),
                  )}
                  title={site.closed[n] || nights.get(`${d.day} ${site.name}`)?.join(", ") || undefined}
                >
                  {!d.past && site.open[n] === 0 && !free[n] && <span className="closed-word">closed</span>}
                </td>
              ))}
            </tr>
            {board.bays.map(
              (bay, b) =>
                bay.bay.site === site.id && (
                  <tr key={bay.name}>
                    <th scope="row">{bay.name}</th>
                    {board.days.map((d, n) => (
                      <BayCell
                        key={d.day}
                        cell={{ day: n, bay: b }}
                        className={dayClass(n)}
                        closed={bay.closed[n] ?? ""}
                        hours={bay.hours[n] ?? 0}
                        open={bay.open[n] ?? 0}
                        option={p.carry && p.options?.[n]?.[b]}
                        over={sameCell(p.carry?.over, { day: n, bay: b })}
                        right={n > board.days.length / 2}
                        ours={!p.carry || p.carry.job.bay === bay.bay.kind}
                      >
                        {d.past && <PastJobs jobs={jobsOf(board, { day: n, bay: b })} />}
                        {(d.past ? [] : jobsOf(board, { day: n, bay: b })).map((j) => (
                          <Bracket
                            key={j.id}
                            job={j}
                            selected={p.selected?.id === j.id}
                            moving={p.moving === j.id}
                            mayMove={p.mayMove && j.state !== "done" && !j.agreed}
                            onSelect={p.onSelect}
                            onKey={p.onKey}
                          />
                        ))}
                      </BayCell>
                    ))}
                  </tr>
                ),
            )}
          </tbody>
        ))}
        <tbody className="people">
          <tr className="site-row">
            <th scope="rowgroup" colSpan={1 + board.days.length}>
              Hours of people, planned of those they work
            </th>
          </tr>
          {board.technicians.map((t) => (
            <tr key={t.id} data-technician={t.name}>
              <th scope="row" title={`${t.site}: ${t.skills}`}>
                {t.name}
              </th>
              {board.days.map((d, n) => (
                <td key={d.day} className={dayClass(n, "hours figures")} title={t.absent[n] || undefined}>
                  <Hours planned={t.hours[n] ?? 0} has={t.has[n] ?? 0} past={d.past} absent={t.absent[n] ?? ""} />
                </td>
              ))}
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  );
}

function Hours({ planned, has, past, absent }: { planned: number; has: number; past: boolean; absent: string }) {
  if (past) return null;
  if (has === 0)
    return (
      <span className={planned > 0 ? "alarm" : "faint"}>
        {planned > 0 ? figure(planned, 1) : absent ? "away" : "–"}
      </span>
    );
  return (
    <>
      <b className={planned > has ? "over-hours" : undefined}>{planned > 0 ? figure(planned, 1) : "0"}</b>
      {planned > has && "+"}
      <span className="faint">/{figure(has, has % 1 ? 1 : 0)}</span>
    </>
  );
}

/** The jobs of a cell: those that are there, those that were done there, and those that are late. */
function jobsOf(board: Board, cell: Cell): PlanJob[] {
  return board.jobs.filter((j) => sameCell(cellOf(board, j), cell));
}

/** Days that have passed are narrow: how many of their jobs are done, and how many are not. */
function PastJobs({ jobs }: { jobs: readonly PlanJob[] }) {
  if (jobs.length === 0) return null;
  const late = jobs.filter((j) => j.state !== "done");
  const text = `${jobs.length - late.length} of ${jobs.length} done: ${jobs.map((j) => j.unit).join(", ")}`;
  return (
    <span
      className={late.length > 0 ? "past-jobs figures alarm" : "past-jobs figures"}
      role="img"
      aria-label={text}
      title={text}
    >
      {jobs.length - late.length}/{jobs.length}
    </span>
  );
}

interface CellProps {
  cell: Cell;
  className: string;
  closed: string;
  hours: number;
  open: number;
  option: PlanOption | undefined;
  over: boolean;
  /** What is said over the cell goes to its left, so that it stays on the page. */
  right: boolean;
  ours: boolean;
  children: ReactNode;
}

function BayCell(p: CellProps) {
  const { setNodeRef } = useDroppable({ id: `${p.cell.day}/${p.cell.bay}`, data: p.cell });
  const share = p.open > 0 ? Math.min(1, p.hours / p.open) : 0;
  return (
    <td
      ref={setNodeRef}
      className={[
        p.className,
        "bay",
        p.option ? `option ${p.option.state}` : "",
        p.ours ? "" : "others",
        p.over ? "is-over" : "",
      ].join(" ")}
      data-cell={`${p.cell.day}/${p.cell.bay}`}
      title={p.closed || undefined}
    >
      {p.closed && <span className="closed-word">out</span>}
      <div className="cell-jobs">{p.children}</div>
      {p.over && p.option && p.option.state !== "here" && (
        <span className={p.right ? "cell-says right" : "cell-says"} aria-hidden="true">
          {p.option.state === "free" ? (p.option.technician ?? "free") : p.option.text}
        </span>
      )}
      {share > 0 && (
        <span
          className="fill"
          style={{ width: `${100 * share}%` }}
          aria-label={`${figure(p.hours, 1)} of ${figure(p.open, 1)} hours`}
          role="img"
        />
      )}
    </td>
  );
}

interface BracketProps {
  job: PlanJob;
  selected: boolean;
  moving: boolean;
  mayMove: boolean;
  onSelect: (job: PlanJob) => void;
  onKey: (event: KeyboardEvent, job: PlanJob) => void;
}

/** Characters of a unit's code that a cell of two weeks holds in one line. */
const longCode = 7;

/** A planned job: its unit in square brackets, as planned work is everywhere. */
export const Bracket = memo(function Bracket({ job, selected, moving, mayMove, onSelect, onKey }: BracketProps) {
  const { setNodeRef, listeners, isDragging } = useDraggable({ id: job.id, data: { job }, disabled: !mayMove });
  const broken = job.breaks.length > 0 || job.state === "gone";
  const state = job.state === "done" ? "done" : job.state === "late" ? "late" : job.agreed ? "agreed" : "";
  const caught = job.caught;
  const marks = [
    job.place?.pinned ? "pinned" : "",
    state,
    broken ? "breaks a rule" : "",
    caught ? "after its night" : "",
    job.verdict === "hold" ? "on hold" : "",
  ].filter((m) => m !== "");
  return (
    <button
      ref={setNodeRef}
      type="button"
      className={[
        "bracket",
        state,
        job.verdict === "hold" && state !== "done" ? "held" : "",
        selected ? "selected" : "",
        unitOfAddress(job.unit).length > longCode ? "long" : "",
        broken ? "broken" : "",
        caught ? "caught" : "",
        isDragging || moving ? "leaving" : "",
      ].join(" ")}
      data-job={job.id}
      data-unit={job.unit}
      data-line=""
      aria-pressed={selected}
      aria-label={`${job.unit}, ${workNames[job.work]}${marks.length > 0 ? `, ${marks.join(", ")}` : ""}`}
      title={`${job.unit} ${workNames[job.work]}: ${job.times}${marks.length > 0 ? `; ${marks.join(", ")}` : ""}`}
      {...listeners}
      onClick={() => onSelect(job)}
      onKeyDown={(e) => onKey(e, job)}
    >
      <span className="bracket-code">
        <UnitCode code={job.unit} />
      </span>
      {job.place?.pinned && <span className="pin" aria-hidden="true" />}
      {(broken || caught) && <span aria-hidden="true">!</span>}
    </button>
  );
});
