import { addDays as daysAfter, formatISO, getISOWeek, parseISO, startOfISOWeek } from "date-fns";
import type { Schemas } from "../api/client";

export type Board = Schemas["PlanBoard"];
export type PlanJob = Schemas["PlanJob"];
export type PlanOption = Schemas["PlanOption"];

/** A cell of the board: the index of its day and of its bay. */
export interface Cell {
  readonly day: number;
  readonly bay: number;
}

/** A job that is on its way to another place, by the hand or by the keys, with the cell that it is over. */
export interface Carry {
  readonly job: PlanJob;
  readonly by: "hand" | "keys";
  readonly over: Cell | undefined;
}

export const sameCell = (a: Cell | undefined, b: Cell | undefined) =>
  a !== undefined && b !== undefined && a.day === b.day && a.bay === b.bay;

/** Where a job is on the board; undefined when it is on no day that is shown. */
export function cellOf(board: Board, job: PlanJob): Cell | undefined {
  const place = job.place;
  if (!place) return undefined;
  const day = board.days.findIndex((d) => d.day === place.day);
  const bay = board.bays.findIndex(
    (b) => b.bay.site === place.bay.site && b.bay.kind === place.bay.kind && b.bay.number === place.bay.number,
  );
  return day < 0 || bay < 0 ? undefined : { day, bay };
}

/** The cell beside another one that an arrow key goes to, kept on the board. Bays are gone through in their order. */
export function beside(board: Board, at: Cell, key: string): Cell {
  const day = at.day + (key === "ArrowRight" ? 1 : key === "ArrowLeft" ? -1 : 0);
  const bay = at.bay + (key === "ArrowDown" ? 1 : key === "ArrowUp" ? -1 : 0);
  const clamp = (n: number, length: number) => Math.max(0, Math.min(length - 1, n));
  return { day: clamp(day, board.days.length), bay: clamp(bay, board.bays.length) };
}

const iso = (day: Date) => formatISO(day, { representation: "date" });

/** The Monday of the week of a day. */
export const mondayOf = (day: string) => iso(startOfISOWeek(parseISO(day)));

export const addDays = (day: string, days: number) => iso(daysAfter(parseISO(day), days));

/** The number of the week (ISO 8601) of a day. */
export const weekNumber = (day: string) => getISOWeek(parseISO(day));

/** Whether a day lies in one of some spans. */
export const within = (day: string, spans: readonly { from: string; to: string }[]) =>
  spans.some((s) => s.from <= day && day <= s.to);
