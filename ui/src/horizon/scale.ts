import { scaleTime } from "d3-scale";
import { addDays, addMonths, format, parseISO } from "date-fns";

/** Days to per cent of the drawing's width: from a little before today to so many months ahead. */
export interface TimeScale {
  /** Per cent from the left edge, cut to the drawing. */
  at: (day: string | Date) => number;
  /** Whether any of a span lies in the drawing. */
  sees: (from: string, to: string) => boolean;
  /** Where a span lies, as a style. */
  place: (from: string, to: string) => { left: string; width: string };
  /** Whether a day lies before the drawing's left edge. */
  past: (day: string) => boolean;
  /** The day at so many per cent from the left edge. */
  day: (at: number) => string;
  /** The first days of months; those of the quarters are the ones there is always room for. */
  months: { at: number; words: string; year: string; quarter: boolean }[];
  today: number;
  /** The first of each month as thin rules: one background for a line, whatever it spans. */
  grid: string;
}

export function timeScale(today: string, months: number): TimeScale {
  const now = parseISO(today);
  const from = addDays(now, -Math.round(months * 0.8 + 4));
  const to = addMonths(now, months);
  const scale = scaleTime([from, to], [0, 100]).clamp(true);
  const day = (d: string | Date) => (typeof d === "string" ? parseISO(d) : d);
  const every = months > 20 ? 3 : 1;
  const firsts = scale.ticks(months / every).filter((t) => t.getDate() === 1);
  const rule = "var(--chakra-colors-rule)";
  return {
    at: (d) => scale(day(d)),
    sees: (a, b) => day(b) >= from && day(a) <= to,
    place: (a, b) => ({ left: `${scale(day(a))}%`, width: `${scale(day(b)) - scale(day(a))}%` }),
    day: (at) => format(scale.invert(at), "yyyy-MM-dd"),
    past: (d) => day(d) < from,
    months: firsts.map((t) => ({
      at: scale(t),
      words: format(t, "MMM"),
      year: t.getMonth() === 0 ? format(t, " ’yy") : "",
      quarter: t.getMonth() % 3 === 0,
    })),
    today: scale(now),
    grid:
      firsts.map((t) => `linear-gradient(${rule}, ${rule}) ${scale(t)}% 0 / 1px 100% no-repeat`).join(", ") || "none",
  };
}
