import { differenceInCalendarDays, format, parseISO } from "date-fns";
import type { Clock, MeasureUnit, Reading, Schemas } from "../api/client";

/** Shown where nothing is known. */
export const nothing = "–";

/** A number with a true minus sign and grouped thousands; no minus before a zero. */
export function figure(value: number | undefined, digits = 0): string {
  if (value === undefined) return nothing;
  const text = value.toFixed(digits).replace(/\B(?<!\.\d*)(?=(\d{3})+(?!\d))/g, ",");
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

export type ReadingSettings = Schemas["ReadingSettings"];

/** The units and dates of the person who reads; the gate sets them before a page is drawn. */
let reading: ReadingSettings = { temperature: "degC", volume: "L", pressure: "kPa", distance: "km", dates: "dmy" };
export const setReading = (r: ReadingSettings) => {
  reading = r;
};
/** An example of how the reader types numbers; nothing for one who is asked. */
export const numberExample = () =>
  reading.numbers === "point" ? "12,500.5" : reading.numbers === "comma" ? "12.500,5" : undefined;
/** A number as a field holds it: a zero more where a point and three digits could be thousands. */
export const asTyped = (v: number) => String(v).replace(/^(-?[1-9]\d{0,2}\.\d{3})$/, "$10");
/** How the reader types numbers, for an entry that holds what was typed; nothing for one who is asked. */
export const typedNumbers = (): { numbers?: "point" | "comma" } =>
  reading.numbers === "point" || reading.numbers === "comma" ? { numbers: reading.numbers } : {};

/** Metric figures in the reader's units. */
const scales: Partial<Record<MeasureUnit, (metric: number) => number>> = {
  degF: (c) => 1.8 * c + 32,
  qt_us: (l) => l / 0.946352946,
  qt_imp: (l) => l / 1.1365225,
  psi: (kPa) => kPa / 6.894757293168361,
  bar: (kPa) => kPa / 100,
  mi: (km) => km / 1.609344,
};
const scaled = (metric: number | undefined, unit: MeasureUnit) =>
  metric === undefined ? undefined : (scales[unit]?.(metric) ?? metric);

export const unitOf = (what: "temperature" | "volume" | "pressure" | "distance") => symbols[reading[what]];
export const inTemperature = (c: number | undefined) => scaled(c, reading.temperature);
export const inVolume = (l: number | undefined) => scaled(l, reading.volume);
/** The figure of a meter that counts km or h. */
export const inMeter = (v: number | undefined, unit: "km" | "h" | undefined) =>
  unit === "km" ? scaled(v, reading.distance) : v;
export const meterSymbol = (unit: "km" | "h") => (unit === "km" ? unitOf("distance") : symbols.h);

export const celsius = (t: number | undefined) =>
  t === undefined ? "not known" : `${figure(inTemperature(t))}\u00a0${unitOf("temperature")}`;
export const litres = (v: number | undefined, digits = 1) => `${figure(inVolume(v), digits)}\u00a0${unitOf("volume")}`;
export const kilopascals = (v: number) =>
  `${figure(scaled(v, reading.pressure), { kPa: 0, psi: 1, bar: 2 }[reading.pressure])}\u00a0${unitOf("pressure")}`;
export const kilometres = (v: number) => `${figure(scaled(v, reading.distance))}\u00a0${unitOf("distance")}`;
/** A difference of temperatures, K. */
export const kelvin = (d: number | undefined, digits = 0) =>
  reading.temperature === "degF" ? `${figure((d ?? 0) * 1.8, digits)}\u00a0°F` : `${figure(d, digits)}\u00a0K`;

/** The day of a date, or of a moment at the offset it was sent with, which is that of its site. */
const dayOf = (iso: string) => parseISO(iso.slice(0, 10));

const layouts = {
  dmy: { long: "EEE d MMM yyyy", short: "d MMM yy", near: "EEE d MMM", day: "d MMM yyyy", span: "d MMM" },
  ymd: { long: "EEE yyyy-MM-dd", short: "yyyy-MM-dd", near: "EEE MM-dd", day: "yyyy-MM-dd", span: "MM-dd" },
  mdy: { long: "EEE MM/dd/yyyy", short: "MM/dd/yy", near: "EEE MM/dd", day: "MM/dd/yyyy", span: "MM/dd" },
} as const;
const layout = (name: keyof (typeof layouts)["dmy"]) => layouts[reading.dates][name];

export const longDay = (iso: string) => format(dayOf(iso), layout("long"));
export const shortDay = (iso: string) => format(dayOf(iso), layout("short"));
export const dayTime = (iso: string) => format(parseISO(iso), `${layout("short")} HH:mm:ss`);
/** A moment to the minute. */
export const dayMinute = (iso: string) => `${shortDay(iso)} ${iso.slice(11, 16)}`;
export const weekDay = (iso: string) => format(dayOf(iso), layout("near"));

/** A due day as the list shows it: near days by name, far ones by month. */
export function dueDay(due: string, today: string): string {
  const day = parseISO(due);
  const away = differenceInCalendarDays(day, parseISO(today));
  if (away === 0) return "today";
  if (away > 0 && away < 120) return format(day, layout("near"));
  return format(day, layout("day"));
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
  return same && reading.dates === "dmy"
    ? `${format(a, "d")}–${format(b, "d MMM")}`
    : `${format(a, layout("span"))} – ${format(b, layout("span"))}`;
}

/** When a clock runs out: its window, or its day. */
export function dueText(clock: Pick<Clock, "due" | "window" | "verdict">, today: string): string {
  if (clock.due === undefined) return "no day";
  const w = clock.window;
  return w && clock.verdict !== "overdue" && clock.verdict !== "hold"
    ? dueWindow(w.p10, w.p90, today)
    : dueDay(clock.due, today);
}
