import { differenceInCalendarDays, format, parseISO } from "date-fns";
import type { Clock, MeasureUnit, Reading } from "../api/client";

/** What stands where nothing is known. */
export const nothing = "–";

/** A number with a true minus sign and grouped thousands; no minus before a zero. */
export function figure(value: number | undefined, digits = 0): string {
  if (value === undefined) return nothing;
  const text = new Intl.NumberFormat("en-GB", { minimumFractionDigits: digits, maximumFractionDigits: digits }).format(
    value,
  );
  return /[1-9]/.test(text) ? text.replace("-", "−") : text.replace("-", "");
}

export const symbols: Record<MeasureUnit, string> = {
  degC: "°C",
  degF: "°F",
  L: "L",
  mL: "mL",
  qt_us: "US qt",
  gal_us: "US gal",
  qt_imp: "imp qt",
  gal_imp: "imp gal",
  km: "km",
  mi: "mi",
  h: "h",
  kPa: "kPa",
  psi: "psi",
  bar: "bar",
  percent: "%",
  brix: "°Bx",
  sg: "rel. density",
  discs: "discs",
  mm: "mm",
  Nm: "N·m",
  lbf_ft: "lbf·ft",
  lbf_in: "lbf·in",
};

/** A reading as it was read: no digit added, none taken away. */
export function asRead(r: Reading): string {
  const digits = /\.(\d+)$/.exec(String(r.value))?.[1]?.length ?? 0;
  return `${figure(Number(r.value), digits)}\u00a0${symbols[r.unit]}`;
}

export const celsius = (t: number | undefined) => (t === undefined ? "unknown" : `${figure(t)}\u00a0°C`);

/** The day of a date, or of a moment at the offset it was sent with, which is that of its site. */
const dayOf = (iso: string) => parseISO(iso.slice(0, 10));

export const longDay = (iso: string) => format(dayOf(iso), "EEE d MMM yyyy");
export const shortDay = (iso: string) => format(dayOf(iso), "d MMM yy");

/** A due day as the list shows it: near days by name, far ones by month. */
export function dueDay(due: string, today: string): string {
  const day = parseISO(due);
  const away = differenceInCalendarDays(day, parseISO(today));
  if (away === 0) return "today";
  if (away > 0 && away < 120) return format(day, "EEE d MMM");
  return format(day, "d MMM yyyy");
}

export function daysAway(days: number): string {
  const n = Math.abs(days);
  const span = n < 60 ? `${n} d` : n < 730 ? `${Math.round(n / 30.4)} mo` : `${figure(n / 365.25, 1)} yr`;
  return days === 0 ? "now" : days < 0 ? `${span} ago` : `in ${span}`;
}

/** A month of a year, "Sep ’28": with the bare figure it would read as a day. */
export const monthYear = (day: Date) => format(day, "MMM ’yy");

/** A window of days as a line has room for: "2–19 Dec", "Nov ’27 – Mar ’28". */
export function dueWindow(p10: string, p90: string, today: string): string {
  const [a, b] = [parseISO(p10), parseISO(p90)];
  const near = differenceInCalendarDays(b, parseISO(today)) < 300;
  const same = monthYear(a) === monthYear(b);
  if (p10 === p90) return dueDay(p10, today);
  if (!near) return same ? monthYear(a) : `${monthYear(a)} – ${monthYear(b)}`;
  return same ? `${format(a, "d")}–${format(b, "d MMM")}` : `${format(a, "d MMM")} – ${format(b, "d MMM")}`;
}

/** When a clock runs out: its window, or its day. */
export function dueText(clock: Pick<Clock, "due" | "window" | "verdict">, today: string): string {
  if (clock.due === undefined) return "no day";
  const w = clock.window;
  return w && clock.verdict !== "overdue" && clock.verdict !== "hold"
    ? dueWindow(w.p10, w.p90, today)
    : dueDay(clock.due, today);
}
