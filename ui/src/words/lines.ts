import type { Balance, EntryBody, Explanation, Line, Reading, Schemas, Typed } from "../api/client";
import { asRead, figure, shortDay } from "./figures";
import { flagWords, word } from "./names";

const nbsp = "\u00a0";

const join = (parts: readonly (string | false | undefined)[], by = ", ") => parts.filter(Boolean).join(by);

/** A volume added up: as it was read when it is one, else in litres told by the server. */
const reads = (r: Reading | undefined) => (r ? asRead(r) : "");

const yesNo = (v: boolean | undefined, yes: string, no: string) => (v === undefined ? "" : v ? yes : no);

/** What a ledger line says after its kind, as a sentence. The product is named by the line. */
export function says(line: Pick<Line, "kind" | "body" | "product" | "additive">): string {
  const b: EntryBody = line.body;
  const product = line.product?.name ?? "";
  if (b.opening) {
    const o = b.opening;
    if (o.history === "unknown") return join(["history unknown", o.meter && `meter ${reads(o.meter)}`]);
    return join([
      join(["came with", reads(o.volume), share(o.share), product || "an unnamed coolant"], " "),
      o.meter && `at ${reads(o.meter)}`,
    ]);
  }
  if (b.renewal) return renewal(b.renewal, product);
  if (b.topUp) {
    const t = b.topUp;
    return join(
      [`${reads(t.volume)} ${t.with === "water" ? "purified water" : product}${t.bled ? ", bled again" : ""}`, t.note],
      ": ",
    );
  }
  if (b.loss) return join([join([reads(b.loss.volume), b.loss.cause && word(b.loss.cause)], ", "), b.loss.note], ": ");
  if (b.freezeTest) return freezeTest(b.freezeTest);
  if (b.chemistryTest) {
    const c = b.chemistryTest;
    const step = (low: Typed, high: Typed | undefined, digits = 0) =>
      amount(low, digits) + (high === undefined || Number(high) === Number(low) ? "" : ` to ${amount(high, digits)}`);
    return join([
      c.method && word(c.method),
      c.ph !== undefined && `pH ${step(c.ph, c.phTo, 1)}`,
      c.reserve !== undefined && `reserve ${amount(c.reserve, 1)}${nbsp}mL`,
      c.nitrite !== undefined && `nitrite ${step(c.nitrite, c.nitriteTo)}${nbsp}ppm ${c.nitriteAs ?? "NO2"}`,
      c.molybdate !== undefined && `molybdate ${step(c.molybdate, c.molybdateTo)}${nbsp}ppm ${c.molybdateAs ?? "MoO4"}`,
      c.stray !== undefined && `stray voltage ${amount(c.stray, 2)}${nbsp}V`,
      c.strayOff !== undefined && `stray voltage ${amount(c.strayOff, 2)}${nbsp}V, all off`,
      c.strayCranking !== undefined && `${amount(c.strayCranking, 2)}${nbsp}V cranking`,
      c.strayLoads !== undefined && `${amount(c.strayLoads, 2)}${nbsp}V with loads on`,
      c.look && `looks ${word(c.look)}`,
      c.expired && "strip expired",
      c.late && "read too late",
    ]);
  }
  const given = b.dose ?? b.extender;
  if (given) return join([`${reads(given.volume)} ${line.additive?.name ?? ""}`, given.note], ": ");
  if (b.additiveFilter) {
    const f = b.additiveFilter;
    return join([join([line.additive?.name, f.meter && `at ${reads(f.meter)}`]), f.note], ": ");
  }
  if (b.capTest) {
    const c = b.capTest;
    return join(
      [
        join(
          [
            c.opened && `opens at ${reads(c.opened)}`,
            yesNo(c.holds, "holds", "does not hold"),
            c.vacuum && `vacuum valve ${word(c.vacuum)}`,
            c.seal && `seal ${word(c.seal)}`,
            yesNo(c.seated, "seated", "not seated"),
            c.stage && word(c.stage),
            c.renewed && "new cap",
          ],
          ", ",
        ),
        c.note,
      ],
      ": ",
    );
  }
  if (b.hoseCheck) {
    const found = b.hoseCheck.hoses.map((h) =>
      join([`${word(h.hose)} ${word(h.state)}`, h.clamp && h.clamp !== "good" && `clamp ${word(h.clamp)}`], ", "),
    );
    return join([found.join("; "), b.hoseCheck.note], " – ");
  }
  if (b.pressureTest) {
    const p = b.pressureTest;
    return join([`${reads(p.pressure)} for ${amount(p.minutes)}${nbsp}min, fell ${reads(p.drop)}`, p.note], ": ");
  }
  if (b.levelCheck) {
    const l = b.levelCheck;
    const over = l.over && `${reads(l.over)} from the upper mark`;
    return join([`${l.temper}, ${over ?? word(l.mark ?? "")}`, l.note], ": ");
  }
  if (b.inspection) {
    const found = b.inspection.points.map(
      (p) =>
        `${word(p.point)} ${p.blocked !== undefined ? `${amount(p.blocked)}${nbsp}% blocked` : word(p.state ?? "")}`,
    );
    return join([found.join("; "), b.inspection.note], " – ");
  }
  if (b.defectOpened) return `${b.defectOpened.what} (${word(b.defectOpened.severity)})`;
  if (b.defectClosed) return b.defectClosed.how;
  if (b.meter) return join([reads(b.meter.meter), b.meter.sure && "read twice"]);
  if (b.meterChange)
    return join([
      b.meterChange.old && `old one ${reads(b.meterChange.old)}`,
      `new one from ${reads(b.meterChange.new)}`,
    ]);
  if (b.zeroCheck) return `${b.zeroCheck.tool} reads ${reads(b.zeroCheck.zero)} on purified water`;
  if (b.layUp) return b.layUp.note ?? "";
  if (b.return) return b.return.note ?? "";
  if (b.hold) return b.hold.why;
  if (b.release) {
    const r = b.release;
    return join([r.what, r.certificate && `certificate ${r.certificate}, ${r.certificateKind ?? ""}`], " – ");
  }
  if (b.note) return b.note.text;
  if (b.strike) return b.strike.why;
  return "";
}

const share = (s: Typed | undefined) => (s === undefined ? "" : `${amount(s)}${nbsp}%`);

/** A number of the books; in what they answer it is never text. */
const amount = (v: Typed | undefined, digits = 0) => figure(v === undefined ? undefined : Number(v), digits);

function renewal(r: Schemas["RenewalBody"], product: string): string {
  const drained = r.drained?.map((d) => `${reads(d.volume)} by the ${word(d.point)}`).join(" and ");
  return join(
    [
      join([
        drained && `${drained} out`,
        r.emptied && "emptied whole",
        r.opened && `${r.opened.map(word).join(", ")} opened`,
        join([reads(r.volume), share(r.share), product, "in"], " "),
        r.residual && `${reads(r.residual)} left inside`,
        r.flushes ? `${r.flushes}× flushed with ${word(r.flushWith ?? "water")}` : "",
        r.rinses ? `${r.rinses}× rinsed with water` : "",
        r.factory && "came with the unit",
        r.meter && `at ${reads(r.meter)}`,
        r.method && word(r.method),
        r.level === "hot" && "level judged hot",
        r.parts && r.parts.length > 0 && `new: ${r.parts.join(", ")}`,
        r.torque?.map((t) => `${t.part} ${reads(t.value)}`).join(", "),
      ]),
      r.note,
    ],
    ": ",
  );
}

function freezeTest(t: Schemas["FreezeTestBody"]): string {
  const value =
    t.instrument === "discs"
      ? `${amount(t.value.value)} of ${t.chart?.length ?? 0} discs float`
      : t.cold !== undefined
        ? `${reads(t.value)} to ${amount(t.cold)}${nbsp}°C`
        : t.scale === "waterless"
          ? `${reads(t.value)} water`
          : reads(t.value);
  return join([
    join([t.instrument === "discs" ? "" : word(t.instrument), t.tool, value], " "),
    t.scale && t.scale !== "waterless" && t.value.unit !== "brix" && `${t.scale} scale`,
    t.sample && `sample ${reads(t.sample)}`,
    t.zero !== undefined && Number(t.zero) !== 0 && `zero ${amount(t.zero, 1)}`,
    t.expired && "strip expired",
    t.late && "read too late",
  ]);
}

/** How a test stands to the book, as words; empty for other lines. */
export function reconciles(line: Pick<Line, "test">): string {
  const t = line.test;
  if (!t) return "";
  const doubts = t.flags.map((f) => flagWords[f] ?? f).join("; ");
  if (!t.trusted) return doubts ? `not used: ${doubts}` : "not used";
  if (t.book === undefined) return "nothing in the book to compare";
  if (t.agrees) return `book ${figure(t.book)}: agrees`;
  return `measured ${figure(t.measured)}, book ${figure(t.book)}: off by ${figure(Math.abs(t.measured - t.book))}${nbsp}K`;
}

/** An explanation as a sentence. */
export function explains(x: Explanation): string {
  const litres = `${figure(x.litres, 1)}${nbsp}L`;
  const between =
    x.from.slice(0, 10) === x.to.slice(0, 10) ? "" : ` (between ${shortDay(x.from)} and ${shortDay(x.to)})`;
  switch (x.cause) {
    case "water_added":
      return `About ${litres} of plain water was added and not written down${between}.`;
    case "leak_and_refill":
      return `About ${litres} leaked and was made up with water${between}.`;
    case "concentrate_added":
      return `About ${litres} of concentrate was added and not written down${between}.`;
    case "water_lost":
      return `About ${litres} of water boiled or seeped off and left the glycol behind${between}.`;
    case "wrong_scale":
      return `It was read on the ${x.scale ?? "other"} scale: the true value is about ${figure(x.truth)}${nbsp}°C.`;
    case "mixed_wrong":
      return `The renewal was mixed at ${figure(x.share, 0)}${nbsp}% (${litres} of concentrate), not as written.`;
    case "fill_volume":
      return `The fill volume was wrong: ${litres} went in, not what is written.`;
    case "stayed_inside":
      return `About ${litres} of flush water or old coolant stayed inside at the renewal.`;
    case "misread":
      return "The test was misread, the prism was dirty, or the sample was not mixed.";
  }
}

export const meanAge = (b: Balance) => (b.meanAgeMonths === undefined ? "" : `${figure(b.meanAgeMonths, 0)} months`);
