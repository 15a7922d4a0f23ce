import { Link as RouterLink } from "react-router";
import { api } from "../api/client";
import { weekDay } from "../words/figures";
import { type Board, addDays, mondayOf } from "./carry";

/** What is opened above the board. */
export type Panel = "propose" | "what-if" | "calendars";

const zooms = [1, 2, 4, 13] as const;

/** The week that so many weeks begin with, so that they end within what can be planned. */
const startOf = (board: Board, weeks: number) =>
  addDays(board.from, 7 * weeks - 1) > board.farthest ? mondayOf(addDays(board.farthest, 1 - 7 * weeks)) : board.from;

/** Above the board: which weeks are shown, and what can be done with all of them. */
export function Tools(p: {
  board: Board;
  weeks: number;
  mayMove: boolean;
  busy: boolean;
  panel: Panel | undefined;
  onPanel: (panel: Panel) => void;
  go: (from: string, weeks?: number) => void;
  act: (run: () => Promise<unknown>) => void;
}) {
  const { board } = p;
  return (
    <div className="plan-tools no-print">
      <span className="span-of">
        <button
          type="button"
          className="act"
          aria-label="weeks before"
          onClick={() => p.go(addDays(board.from, -7 * p.weeks))}
        >
          ‹
        </button>
        <b className="figures">
          {weekDay(board.from)} – {weekDay(board.days.at(-1)?.day ?? board.from)}
        </b>
        <button
          type="button"
          className="act"
          aria-label="weeks after"
          disabled={addDays(board.from, 14 * p.weeks - 1) > board.farthest}
          onClick={() => p.go(addDays(board.from, 7 * p.weeks))}
        >
          ›
        </button>
        {board.from !== mondayOf(board.today) && (
          <button type="button" className="act" onClick={() => p.go(mondayOf(board.today))}>
            this week
          </button>
        )}
      </span>
      <label>
        <span className="hidden-label">weeks shown</span>
        <select value={p.weeks} onChange={(e) => p.go(startOf(board, Number(e.target.value)), Number(e.target.value))}>
          {zooms.map((n) => (
            <option key={n} value={n}>
              {n === 1 ? "1 week" : `${n} weeks`}
            </option>
          ))}
        </select>
      </label>
      {p.mayMove && (
        <>
          <button
            type="button"
            className="solid"
            aria-expanded={p.panel === "propose"}
            onClick={() => p.onPanel("propose")}
          >
            propose …
          </button>
          <button
            type="button"
            className="act framed"
            disabled={!board.undo || p.busy}
            onClick={() => p.act(() => api.undoPlan(false))}
          >
            undo
          </button>
          <button
            type="button"
            className="act framed"
            disabled={!board.redo || p.busy}
            onClick={() => p.act(() => api.undoPlan(true))}
          >
            redo
          </button>
        </>
      )}
      <button type="button" className="act" aria-expanded={p.panel === "what-if"} onClick={() => p.onPanel("what-if")}>
        what if …
      </button>
      <button
        type="button"
        className="act"
        aria-expanded={p.panel === "calendars"}
        onClick={() => p.onPanel("calendars")}
      >
        calendars
      </button>
      <a className="act" href={`/api/v1/plan/paper?from=${board.from}&of=technician`} target="_blank" rel="noreferrer">
        paper by technician
      </a>
      <a className="act" href={`/api/v1/plan/paper?from=${board.from}&of=bay`} target="_blank" rel="noreferrer">
        by bay
      </a>
      <RouterLink className="act" to="/plan/day">
        my day
      </RouterLink>
    </div>
  );
}
