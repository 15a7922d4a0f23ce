import type { Account, Clock, Schemas, Verdict } from "../api/client";
import { celsius, dueDay, dueWindow, figure, longDay, symbols } from "./figures";
import { word, wordsOf } from "./names";

export const clockNames: Record<Clock["kind"], string> = {
  hold: "Hold",
  age: "Age",
  use: "Use",
  freeze: "Freeze",
  level: "Level",
  findings: "Findings",
  follow_up: "Follow-up",
  test: "Test",
  cap: "Cap",
  hoses: "Hoses",
  chemistry: "Chemistry",
  zero: "Zero",
  hose_age: "Hose age",
  strength: "Strength",
  product: "Product",
  extender: "Extender",
  filter: "Additive filter",
  evaluation: "Not evaluated",
};

export const verdictWords: Record<Verdict, string> = {
  hold: "hold",
  overdue: "overdue",
  due: "due",
  watch: "watch",
  unknown: "unknown",
  sound: "sound",
};

export const noteWords: Record<Schemas["Note"], string> = {
  implied_loss: "as much had gone before",
  more_than_book: "more than the book held",
  not_filled: "no fill is written down before it",
  mixed_base: "EG and PG are mixed: no table tells what it protects to",
  wrong_scale: "read on the scale of the other glycol: says nothing",
  base_unknown: "which glycol is inside is not known: the scale may be wrong",
  beyond_table: "beyond what the tables know",
  volume_assumed: "first known strength; taken as full",
  meter_doubted: "cannot be true together with the other readings; not used",
  colder_waits: "colder than the book: does not count until a second, zeroed test or an entry explains it",
  not_mixed: "less than four hours after coolant was poured in, and without a run: the retest stays owed",
  out_unknown: "what came out is not written: taken as what went in",
  marks_unknown: "the register does not know the tank’s marks: not judged",
  not_ready: "something still stands against running",
  settling: "within ten days of the fill: no leak",
  inferred: "inferred to balance the books; not observed",
  too_strong: "beyond the strong end of the scale: dilute and test again",
  density_on_pg: "a floating tester gives no strength of PG",
  other_meter_kind: "another kind of meter; not used",
  mixed_technology: "another inhibitor technology than what is inside",
  premix_thinned: "premix is never thinned with water",
  reading_refused: "the reading cannot be used",
  partial_drain: "too little was replaced to count as a renewal",
  air_trapped: "less went in than came out: air is trapped; do not release",
  level_below_book: "the level shows less than the book holds",
  level_above_book: "the level shows more than the book holds",
  level_hot: "a hot level reads high and proves nothing",
  tank_unknown: "the register does not know what a millimetre of this tank holds",
  strikes_nothing: "the line it strikes is not in these books yet",
  closes_nothing: "no such defect is open",
  was_not_held: "there was no hold",
  does_not_hold: "the pressure fell",
  off_rating: "opens off its rating",
  water_left_inside: "flush water stayed inside and thins the fill",
  foreign_product: "a foreign product is too much of the charge",
  over_dosed: "more nitrite than stays dissolved",
  extended_twice: "an extender is given once in the life of a charge",
  water_in: "water in a waterless coolant: what it protects to is not known",
  scale_on_waterless: "a glycol scale says nothing of a waterless coolant: read its water in per cent",
  implausible: "a number or a time beyond anything that can be meant: not used",
  book_empty: "by the book nothing is inside that could have been tested: record what was filled",
  strip_refused: "the strip was past its date or read too late: its figures are not used",
};

/** Notes that only explain; all others are warnings. */
export const quietNotes: ReadonlySet<Schemas["Note"]> = new Set([
  "implied_loss",
  "volume_assumed",
  "level_hot",
  "water_left_inside",
  "tank_unknown",
  "settling",
]);

/** The reason of a clock in one sentence, without the clock's name. */
export function reason(clock: Clock, site: string): string {
  if (clock.reason.words) return clock.reason.words;
  const n = clock.reason.numbers;
  const unit = clock.unit ? symbols[clock.unit] : "";
  const used = `${figure(n.used)} of ${figure(n.limit)}\u00a0${unit}`;
  switch (clock.reason.code) {
    case "age_runs":
      return `${figure(n.used, (n.used ?? 0) < 1 ? 1 : 0)} of ${figure(n.limit)}\u00a0months since the renewal.`;
    case "age_unknown":
      return `no renewal is written down; the plan allows ${figure(n.limit)}\u00a0months.`;
    case "use_runs":
      return [
        `${used} since the renewal, ${figure(n.rate, (n.rate ?? 0) < 10 ? 1 : 0)}\u00a0${unit} a week${n.changed ? " lately, otherwise than before" : ""}.`,
        n.few ? "Few readings tell how fast, so the window is wide." : "",
        n.season ? "Only one season is known, so the window is wide." : "",
        n.suspects
          ? `${figure(n.suspects)} meter ${n.suspects === 1 ? "reading" : "readings"} cannot be true and ${n.suspects === 1 ? "is" : "are"} left out.`
          : "",
      ]
        .filter(Boolean)
        .join(" ");
    case "use_read_meter":
      return `${used} since the renewal by estimate, ${figure(n.read)}\u00a0${unit} at the last reading: read the meter.`;
    case "use_other_meter":
      return `the plan counts ${n.km ? "km" : "hours"} and this unit’s meter ${n.km ? "hours" : "km"}: no use clock. Choose another plan.`;
    case "use_no_day":
      return `${figure(n.read)} of ${figure(n.limit)}\u00a0${unit} since the renewal; the meter has hardly moved, and the readings cover too little time to show that the unit is not used: read the meter.`;
    case "use_laid_up":
      return `${used} since the renewal; laid up, so the meter stands.`;
    case "use_no_rate":
      return `${used} since the renewal; too few meter readings to tell how fast.`;
    case "use_no_start":
      return `no meter reading at the renewal; the plan allows ${figure(n.limit)}\u00a0${unit}.`;
    case "use_no_meter":
      return `the plan limits use, and this unit has no meter.`;
    case "freeze_night":
      return n.forecast
        ? `protects to ${celsius(n.protects)}; ${celsius(n.need)} is forecast for ${site} that night.`
        : `protects to ${celsius(n.protects)}${drifts(n)}; ${site} is planned for ${celsius(n.need)} from then on.`;
    case "freeze_now":
      return `protects to ${celsius(n.protects)}; ${n.forecast ? `${celsius(n.need)} is forecast for ${site} tonight` : `${site} is planned for ${celsius(n.need)} tonight`}. Do not start it on slush.`;
    case "freeze_all":
      return `protects to ${celsius(n.protects)}; the coldest night ${site} is planned for is ${celsius(n.coldest)}.`;
    case "freeze_bound":
      return `which glycol is inside is not known; by the last test it protects to ${celsius(n.protects)} at least. Find out and test again.`;
    case "freeze_narrow":
      return `by the book it protects to ${celsius(n.protects)}, which would do all year; within the book’s band it may be ${celsius(n.high)}, which would not. Test it.`;
    case "freeze_stale":
      return `not tested for ${figure(n.months)}\u00a0months; by the book it protects to ${celsius(n.protects)}.`;
    case "freeze_unsure":
      return `the last test cannot be trusted: ${clock.reason.note ? noteWords[clock.reason.note] : "reason not given"}.`;
    case "freeze_unknown":
      return "never measured, and no fill is written down: test it.";
    case "level_holds":
      return `${figure(n.litres, 1)}\u00a0L by the book, ${figure(n.full, 1)}\u00a0L were filled.`;
    case "held":
      return `${clock.reason.about ?? "held"}: must not run until released.`;
    case "air_trapped":
      return n.ready
        ? `${figure(n.short, 1)}\u00a0L less went in than came out; the level was seen at the mark since. Release it.`
        : `${figure(n.short, 1)}\u00a0L less went in than came out: air is trapped. Check the level cold, or bleed again; then release.`;
    case "coolant_spoilt":
      return `${about(clock)}: must not run. ${n.ready ? "A later sample looks clear: release it." : "Find the cause; renew."}`;
    case "finding_holds":
      return `${about(clock)}: must not fly. ${n.ready ? "Found right since: a signatory releases it." : "Put it right and look again."}`;
    case "return_owed":
      return `${word(clock.reason.about ?? "")} was worked on: to be returned to service by a signatory.`;
    case "level_below":
      return `the level was ${word(clock.reason.about ?? "")}: must not run until it is topped up and seen cold at the marks.`;
    case "stop_defect":
    case "found_bad":
    case "found_soft":
      return `${about(clock)}${n.others ? `, and ${figure(n.others)} more` : ""}.`;
    case "off_book":
      return `book and test disagree: ${figure(n.measured)}\u00a0°C was measured. ${n.confirmed ? "Something was not written down." : "Test a second time."}`;
    case "test_calendar":
      return `last tested ${span(n.months)} ago; the plan wants a test every ${figure(n.limit)}.`;
    case "test_season":
      return `to be tested before the cold season of ${site}; the last test is ${figure(n.days)}\u00a0d old.`;
    case "test_never":
      return n.days === undefined
        ? `never tested; the plan wants a test every ${figure(n.limit)}\u00a0months.`
        : `not tested since it was filled ${figure(n.days)}\u00a0d ago.`;
    case "test_before":
      return `not tested since it was filled ${figure(n.days)}\u00a0d ago; the last test, ${span(n.months)} ago, was before that.`;
    case "cap_calendar":
      return looked("its cap tested", n);
    case "hose_calendar":
      return looked("its hoses looked at", n);
    case "owed_level":
      return `the level is to be looked at cold, the day after the renewal; owed for ${figure(n.days)}\u00a0d.`;
    case "owed_retest":
      return `the freeze point is to be tested again, once mixed; owed for ${figure(n.days)}\u00a0d.`;
    case "owed_days":
      return `the level is to be looked at cold on ${figure(n.wanted)} days after the renewal; on ${figure(n.looked)} it was.`;
    case "owed_runs":
      return `the level is to be looked at cold after each of the first ${figure(n.wanted)} runs; after ${figure(n.looked)} it was.`;
    case "zero_lapses":
      return `${clock.reason.about ?? ""} was last zeroed ${figure(n.days)}\u00a0d ago: zero it on purified water before the next test.`;
    case "zero_never":
      return `no zero of ${clock.reason.about ?? ""} is recorded: zero it on purified water before the next test.`;
    case "zero_holds":
      return `${clock.reason.about ?? ""} was zeroed ${figure(n.days)}\u00a0d ago; that stands for ${figure(n.limit)}.`;
    case "hose_old":
      return `the ${clock.reason.about ? `${word(clock.reason.about)} hose is` : "hoses are"} ${figure((n.used ?? 0) / 12, 1)} of ${figure((n.limit ?? 0) / 12)}\u00a0years old.`;
    case "hose_ageless":
      return `the age of the ${clock.reason.about ? `${word(clock.reason.about)} hose` : "hoses"} is not known; the plan allows ${figure((n.limit ?? 0) / 12)}\u00a0years.`;
    case "level_falls":
      return `${figure(n.litres, 1)}\u00a0L of ${figure(n.full, 1)}\u00a0L by the book, and it leaks: ${figure(n.low, 1)}\u00a0L ${(n.ahead ?? 0) > 0 ? "will be missing then" : "may be missing by now"}${must(n.days)}.`;
    case "level_low":
      return `${figure(n.missing, 1)}\u00a0L of ${figure(n.full, 1)}\u00a0L are missing by the book${clock.verdict === "hold" ? ": too low to run" : must(n.days)}.`;
  }
  return clock.reason.code;
}

/** Months as a span; less than two of them in days. */
const span = (months: number | undefined) =>
  months !== undefined && months < 2 ? `${figure(months * 30.44)}\u00a0d` : `${figure(months)}\u00a0months`;

const drifts = (n: Record<string, number>) => (n.drift ? ` and grows ${figure(n.drift, 1)}\u00a0K warmer a year` : "");

/** In how many days a leak will have taken so much that the unit must not run. */
const must = (days: number | undefined) =>
  days === undefined
    ? ""
    : days <= 0
      ? "; it may be too low to run by now"
      : `; too low to run in ${figure(days)}\u00a0d`;

/** The rule behind a clock, with the numbers that went into it. */
export function rule(clock: Clock, account: Account): string[] {
  if (clock.reason.rule) return clock.reason.rule;
  const n = clock.reason.numbers;
  const plan = `Plan “${account.servicePlan.name}”`;
  const which = clock.interval ? `${clock.interval} interval` : "";
  const renewed = account.balance.renewedAt;
  switch (clock.kind) {
    case "age":
      return [
        `${plan}, ${which}: ${figure(n.limit)}\u00a0months.`,
        renewed ? `Last renewal ${longDay(renewed)}; the months run from that day.` : "No renewal is in the books.",
      ];
    case "use":
      return [
        `${plan}, ${which}: ${figure(n.limit)} ${clock.unit ? symbols[clock.unit] : ""}.`,
        renewed
          ? `Counted from the renewal of ${longDay(renewed)}${account.renewalMeter === undefined ? "" : `, at ${figure(account.renewalMeter)} ${clock.unit ? symbols[clock.unit] : ""}`}.`
          : "No renewal is in the books.",
        n.low !== undefined && n.high !== undefined
          ? `By today ${figure(n.low)} to ${figure(n.high)} ${clock.unit ? symbols[clock.unit] : ""}, most likely ${figure(n.used)}, by the readings so far.`
          : "",
        "Rate and season from the readings of the last four years since the last change of use; a reading that no plausible life of the meter explains is left out.",
        "The days before and after hold what comes eight times in ten (docs/forecast.md).",
      ].filter(Boolean);
    case "freeze":
      return [
        `${plan}: ${figure(account.servicePlan.freezeMargin)}\u00a0K between the freeze point and the coldest night.`,
        account.balance.freeze === undefined
          ? "The book knows no freeze point."
          : `By the book it freezes at ${figure(account.balance.freeze, 1)}\u00a0°C, by the tables for ${account.base ?? "its glycol"} in water.`,
        account.glycolMass === undefined
          ? ""
          : `The book holds ${figure(account.balance.glycol, 1)}\u00a0% of glycol by volume, ${figure(account.glycolMass, 1)}\u00a0% by mass.`,
        tested(account),
        `${account.unit.site}: coldest night planned for ${celsius(account.coldest)}, ${
          account.coldYears > 0
            ? `from ${figure(account.coldYears)} years of nights: of ${figure(account.returnPeriod)} nights of one date one is colder than its curve, which is lowered by ${figure(account.shift, 1)}\u00a0K, no further than ${celsius(account.returnLevel)}, so that about one winter in ${figure(account.returnPeriod)} has a night below it`
            : "from twelve monthly values"
        }. A forecast makes one of the next ten nights colder, and warmer by no more than its own error (1.5 to 4 K).`,
        n.drift
          ? `It grows ${figure(n.drift, 1)}\u00a0K warmer a year, by its tests and top-ups since the renewal.`
          : "",
        "The window holds the book’s uncertainty, which widens as nobody looks.",
        n.months !== undefined
          ? `A freeze point nobody has tested for ${figure(n.stale)}\u00a0months is not taken on trust.`
          : "",
      ].filter(Boolean);
    case "hold":
      return [
        "A hold, a defect that stops the unit, a fill that took less than came out, oily or gelled coolant, a level below the lower mark; of an aircraft any bad finding, and work that is not released.",
        n.allowed !== undefined
          ? `A hot level and the error of measuring account for ${figure(n.allowed, 1)}\u00a0L; more is air. It is released only after a cold level at the upper mark, four hours or more after the fill, or a bleeding with what then went in.`
          : "",
        "It ends with a release by a coordinator or a signatory, of an aircraft by a licensed signatory only; a low level ends when it is seen right again.",
        n.others ? `Besides this, ${figure(n.others)} more: see what was found.` : "",
      ].filter(Boolean);
    case "findings":
      return ["What was found bad is due at once; what is soft is watched.", "The last word on each point counts."];
    case "test":
    case "cap":
    case "hoses":
      return [
        `${plan}: every ${figure(n.limit)}\u00a0months${clock.kind === "test" ? ", and within four months before the cold season" : ""}.`,
        "A look that is late is due work; it does not make the unit overdue.",
      ];
    case "hose_age":
      return [
        `${plan}: a hose may be ${figure((n.limit ?? 0) / 12)}\u00a0years old.`,
        "A hose is as old as the unit until one is written down as renewed.",
      ];
    case "zero":
      return [
        `The zero of a refractometer stands for ${figure(n.limit)}\u00a0days, in whoever’s books it was written.`,
        "It is asked for with the next test, and is never worse than a reminder.",
      ];
    case "chemistry":
    case "strength":
    case "product":
    case "extender":
    case "filter":
    case "evaluation":
      return []; // the server words them
    case "follow_up":
      return [
        "After any renewal: the level cold on the next day, and the freeze point once the system has been warm.",
        account.servicePlan.followRuns
          ? `${plan}: then cold after each of the first ${figure(account.servicePlan.followRuns)} runs.`
          : account.servicePlan.followDays
            ? `${plan}: cold on ${figure(account.servicePlan.followDays)} days; a look on the last of them makes up for one that was missed.`
            : "",
        "After more than a twentieth of water or concentrate: the freeze point.",
      ].filter(Boolean);
    case "level":
      return [
        `Due when ${figure(n.low, 1)}\u00a0L of the last fill are missing by the book, hold when ${figure(n.hold, 1)}\u00a0L are.`,
        clock.window ? "The days are from the rate of the last losses and its uncertainty." : "",
      ].filter(Boolean);
  }
}

/** When a clock runs out: its window, or its day. */
export function dueText(clock: Pick<Clock, "due" | "window" | "verdict">, today: string): string {
  if (clock.due === undefined) return "no day";
  const w = clock.window;
  return w && clock.verdict !== "overdue" && clock.verdict !== "hold"
    ? dueWindow(w.p10, w.p90, today)
    : dueDay(clock.due, today);
}

/** What a finding is about: a point's code and its states, or words as somebody wrote them. */
function about(clock: Clock): string {
  const text = clock.reason.about ?? "";
  const [point = "", states] = text.split(": ", 2);
  return states !== undefined && /^[a-z_]+$/.test(point) ? `${word(point)}: ${wordsOf(states)}` : text;
}

/** The instrument behind the last test, and whether its zero was looked at. */
function tested(account: Account): string {
  const t = account.lastTest;
  if (!t) return "It was not tested since.";
  const zero = t.zeroAt ? `zero checked ${longDay(t.zeroAt)}` : "no zero check recorded";
  return `Last test ${figure(t.measured)}\u00a0°C on ${longDay(t.at)}: ${[word(t.instrument), t.tool].filter(Boolean).join(" ")}, ${zero}.`;
}

function looked(what: string, n: Record<string, number>): string {
  return n.never
    ? `never had ${what}; the plan wants it every ${figure(n.limit)}\u00a0months.`
    : `had ${what} ${span(n.months)} ago; the plan wants it every ${figure(n.limit)}.`;
}
