import { scaleTime } from "d3-scale";
import { addDays, addMonths, format, parseISO } from "date-fns";

/** Days to per cent of the drawing's width: from a little before today to so many months ahead. */
export interface TimeScale {
  /** Per cent from the left edge, cut to the drawing. */
  at: (day: string | Date) => number;
  /** Whether any of a span lies in the drawing. */
  sees: (from: string, to: string) => boolean;
  /** Whether a day lies before the drawing's left edge. */
  past: (day: string) => boolean;
  months: { at: number; words: string }[];
  today: number;
}

export function timeScale(today: string, months: number): TimeScale {
  const now = parseISO(today);
  const from = addDays(now, -Math.round(months * 0.8 + 4));
  const to = addMonths(now, months);
  const scale = scaleTime([from, to], [0, 100]).clamp(true);
  const day = (d: string | Date) => (typeof d === "string" ? parseISO(d) : d);
  const every = months > 20 ? 3 : 1;
  return {
    at: (d) => scale(day(d)),
    sees: (a, b) => day(b) >= from && day(a) <= to,
    past: (d) => day(d) < from,
    months: scale
      .ticks(months / every)
      .filter((t) => t.getDate() === 1)
      .map((t) => ({ at: scale(t), words: format(t, t.getMonth() === 0 ? "MMM ’yy" : "MMM") })),
    today: scale(now),
  };
}
