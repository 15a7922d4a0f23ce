import type { Account, EntryKind, MeasureUnit, Schemas } from "../api/client";
import { word } from "../words/names";

/** What a form asks, field by field; the name is the field's in the contract. */
export type FieldSpec =
  | {
      type: "reading";
      name: string;
      label: string;
      units: readonly MeasureUnit[];
      optional?: boolean;
      hint?: string;
      /** Usually below zero: a key turns the sign. */
      minus?: boolean;
    }
  | {
      type: "number";
      name: string;
      label: string;
      suffix?: string;
      optional?: boolean;
      hint?: string;
      initial?: string;
    }
  | {
      type: "choice";
      name: string;
      label: string;
      options: Options;
      initial?: string;
      optional?: boolean;
      /** Drawn as buttons: few options, one press. */
      buttons?: boolean;
      /** The option that leaves the field out. */
      none?: string;
    }
  | { type: "yesno"; name: string; label: string; yes: string; no: string }
  | {
      type: "text";
      name: string;
      label: string;
      optional?: boolean;
      width?: string;
      initial?: string;
      /** The name of an instrument: those of the register are offered. */
      instrument?: boolean;
    }
  | { type: "check"; name: string; label: string }
  | { type: "date"; name: string; label: string; optional?: boolean }
  /** A report by its hash; it belongs to the entry and not to its content. */
  | { type: "report"; name: string; label: string }
  | { type: "product"; name: string; forms: readonly string[]; optional?: boolean }
  | { type: "additive"; name: string; kind: Schemas["Additive"]["kind"] }
  | { type: "numbers"; name: string; label: string; hint: string; initial?: string }
  /** One line for each key: a list whose items hold the key and what was given it. */
  | { type: "lines"; name: string; label: string; key: string; keys: readonly string[]; columns: readonly ColumnSpec[] }
  /** Lines that name themselves, such as torques. */
  | { type: "named"; name: string; label: string; key: string; rows: number; columns: readonly ColumnSpec[] }
  /** Any of some, each a tick. */
  | { type: "points"; name: string; label: string; keys: readonly string[] }
  | { type: "words"; name: string; label: string; hint: string }
  | { type: "line"; name: string; label: string; kind: EntryKind };

/** A field that can be a column. */
export type ColumnSpec = Extract<FieldSpec, { type: "reading" | "choice" }>;

export type Options = readonly (readonly [string, string])[];

const options = (...codes: string[]): Options => codes.map((c) => [c, word(c)] as const);

export const volumeUnits: readonly MeasureUnit[] = ["L", "mL", "qt_us", "gal_us", "qt_imp", "gal_imp"];
const degrees: readonly MeasureUnit[] = ["degC", "degF"];
const pressures: readonly MeasureUnit[] = ["kPa", "psi", "bar"];
const scales: readonly MeasureUnit[] = ["degC", "degF", "percent", "brix"];

const note: FieldSpec = { type: "text", name: "note", label: "note", optional: true, width: "260px" };
const unitsOfMeter = (unit: Account["meterUnit"]): readonly MeasureUnit[] =>
  unit === undefined ? [] : unit === "h" ? ["h"] : ["km", "mi"];
const meterUnits = (a: Account): readonly MeasureUnit[] => [
  ...unitsOfMeter(a.meterUnit),
  ...unitsOfMeter(a.secondMeterUnit),
];
const sharing: FieldSpec = { type: "number", name: "share", label: "% concentrate", initial: "50" };

/** The choice on which other fields depend, read from the draft so far. */
type Values = (name: string) => string;

/** What the form of a kind asks, given what has been given it so far. */
export function fieldsOf(
  kind: EntryKind,
  account: Account,
  values: Values,
  formOf: (code: string) => string,
): FieldSpec[] {
  const meter = (name: string, label: string, optional: boolean): FieldSpec[] =>
    account.meterUnit && !account.notHere.includes("meter")
      ? [{ type: "reading", name, label, units: meterUnits(account), optional }]
      : [];
  const share = formOf(values("product")) === "concentrate" ? [sharing] : [];
  switch (kind) {
    case "opening":
      return [
        {
          type: "choice",
          name: "history",
          label: "begins with",
          options: [
            ["unknown", "an unknown history"],
            ["factory", "the fill it came with"],
          ],
          initial: "unknown",
        },
        ...(values("history") === "factory"
          ? ([
              { type: "reading", name: "volume", label: "filled", units: volumeUnits, optional: true },
              { type: "product", name: "product", forms: ["premix", "concentrate"], optional: true },
              ...share,
            ] satisfies FieldSpec[])
          : []),
        ...meter("meter", "meter (if read)", true),
      ];
    case "renewal":
      return [
        { type: "reading", name: "volume", label: "filled", units: volumeUnits },
        { type: "product", name: "product", forms: ["premix", "concentrate"] },
        ...share,
        ...meter("meter", "meter (if read)", true),
        {
          type: "lines",
          name: "drained",
          label: "came out by",
          key: "point",
          keys: drainPoints,
          columns: [{ type: "reading", name: "volume", label: "", units: volumeUnits, optional: true }],
        },
        ...(drainedBy(values)
          ? []
          : ([
              { type: "check", name: "emptied", label: "emptied completely, not measured" },
              ...(values("emptied") === "yes"
                ? []
                : ([
                    { type: "points", name: "opened", label: "opened, not measured", keys: drainPoints },
                  ] satisfies FieldSpec[])),
            ] satisfies FieldSpec[])),
        { type: "number", name: "flushes", label: "flushes", optional: true },
        ...(values("flushes") && values("flushes") !== "0"
          ? ([
              {
                type: "choice",
                name: "flushWith",
                label: "flushed with",
                options: [
                  ["water", "purified water"],
                  ["cleaner", "cleaner"],
                  ["prep_fluid", "prep fluid, for waterless"],
                ],
                initial: "water",
              },
              ...(values("flushWith") === "cleaner"
                ? ([
                    { type: "number", name: "rinses", label: "water flushes after it", optional: true },
                  ] satisfies FieldSpec[])
                : []),
            ] satisfies FieldSpec[])
          : []),
        { type: "reading", name: "residual", label: "left inside", units: volumeUnits, optional: true },
        {
          type: "choice",
          name: "method",
          label: "filled by",
          options: options("gravity", "vacuum", "pressure", "pump", "manual"),
          optional: true,
        },
        { type: "choice", name: "level", label: "level judged", options: options("cold", "hot"), initial: "cold" },
        { type: "words", name: "parts", label: "new parts", hint: "comma between them: cap, washer" },
        ...batch,
        {
          type: "named",
          name: "torque",
          label: "closed to",
          key: "part",
          rows: 2,
          columns: [{ type: "reading", name: "value", label: "", units: ["Nm", "lbf_ft", "lbf_in"], optional: true }],
        },
        note,
      ];
    case "top_up":
      return [
        { type: "reading", name: "volume", label: "poured in", units: volumeUnits },
        {
          type: "choice",
          name: "with",
          label: "with",
          options: [
            ["water", "purified water"],
            ["premix", "premix"],
            ["concentrate", "concentrate"],
          ],
          initial: "premix",
        },
        ...(values("with") === "water"
          ? []
          : ([{ type: "product", name: "product", forms: [values("with")] }] satisfies FieldSpec[])),
        ...(account.air
          ? ([
              { type: "check", name: "bled", label: "bled again with it, until no bubbles came" },
            ] satisfies FieldSpec[])
          : []),
        ...(values("inferred") === "yes"
          ? ([{ type: "check", name: "inferred", label: "balances the books: not observed" }] satisfies FieldSpec[])
          : []),
        ...(values("with") === "water" ? [] : batch),
        note,
      ];
    case "loss":
      return [
        { type: "reading", name: "volume", label: "lost", units: volumeUnits },
        {
          type: "choice",
          name: "cause",
          label: "by",
          options: options("leak", "spill", "drained", "sample"),
          initial: "leak",
        },
        { type: "text", name: "note", label: "where it went", optional: true, width: "300px" },
      ];
    case "freeze_test":
      return freezeFields(values, account);
    case "dose":
      return [
        { type: "reading", name: "volume", label: "poured in", units: volumeUnits },
        { type: "additive", name: "additive", kind: "sca" },
        note,
      ];
    case "extender":
      return [
        { type: "reading", name: "volume", label: "poured in", units: volumeUnits },
        { type: "additive", name: "additive", kind: "extender" },
        note,
      ];
    case "additive_filter":
      return [{ type: "additive", name: "additive", kind: "filter" }, ...meter("meter", "meter (if read)", true), note];
    case "chemistry_test":
      return [
        {
          type: "choice",
          name: "method",
          label: "tested by",
          options: options("strip", "meter", "laboratory"),
          optional: true,
        },
        ...step("ph", "pH", values),
        ...step("nitrite", "nitrite, ppm", values),
        ...statedAs("nitrite", ["NO2", "NaNO2", "N"], values),
        ...step("molybdate", "molybdate, ppm", values),
        ...statedAs("molybdate", ["MoO4", "Mo", "Na2MoO4"], values),
        ...(values("method") === "strip"
          ? ([
              { type: "check", name: "expired", label: "strip past its date" },
              { type: "check", name: "late", label: "read too late" },
            ] satisfies FieldSpec[])
          : ([{ type: "number", name: "reserve", label: "reserve, mL", optional: true }] satisfies FieldSpec[])),
        ...(values("stray")
          ? ([{ type: "number", name: "stray", label: "stray voltage, V", optional: true }] satisfies FieldSpec[])
          : []),
        { type: "number", name: "strayOff", label: "stray, all off, V", optional: true },
        { type: "number", name: "strayCranking", label: "cranking, V", optional: true },
        { type: "number", name: "strayLoads", label: "all loads on, V", optional: true },
        ...(values("method") === "strip"
          ? []
          : ([
              { type: "number", name: "conductivity", label: "conductivity, µS/cm", optional: true },
              ...(values("conductivity")
                ? ([
                    { type: "reading", name: "conductivityAt", label: "sample at", units: degrees },
                  ] satisfies FieldSpec[])
                : []),
            ] satisfies FieldSpec[])),
        ...(values("method") === "laboratory"
          ? [
              ...laboratory.map((name): FieldSpec => ({ type: "number", name, label: `${name}, ppm`, optional: true })),
              { type: "report", name: "attachments", label: "report" } satisfies FieldSpec,
            ]
          : []),
        {
          type: "choice",
          name: "look",
          label: "appearance",
          options: options("clear", "faded", "cloudy", "rusty", "oily", "gelled", "sediment"),
          optional: true,
        },
        { type: "text", name: "tool", instrument: true, label: "tested with", optional: true, width: "140px" },
      ];
    case "cap_test":
      return [
        {
          type: "reading",
          name: "opened",
          label: `opens at${account.cap ? ` (rated ${account.cap} kPa)` : ""}`,
          units: pressures,
          optional: true,
        },
        { type: "yesno", name: "holds", label: "holds below that", yes: "holds", no: "does not hold" },
        { type: "choice", name: "vacuum", label: "vacuum valve", options: options("opens", "stuck"), optional: true },
        {
          type: "choice",
          name: "seal",
          label: "seal",
          options: options("good", "dried", "cracked", "hardened"),
          optional: true,
        },
        { type: "yesno", name: "seated", label: "on its seat", yes: "seated", no: "not seated" },
        { type: "choice", name: "stage", label: "turned", options: options("home", "first_stage"), optional: true },
        { type: "check", name: "renewed", label: "a new cap was fitted" },
        note,
      ];
    case "hose_check":
      return [
        {
          type: "lines",
          name: "hoses",
          label: "hose",
          key: "hose",
          keys: hoses,
          columns: [
            {
              type: "choice",
              name: "state",
              label: "state",
              options: options("good", "cracked", "bulging", "soft", "hard", "chafed", "weeping", "renewed"),
              optional: true,
            },
            {
              type: "choice",
              name: "clamp",
              label: "clamp",
              options: options("good", "loose", "on_ridge"),
              optional: true,
            },
          ],
        },
        note,
      ];
    case "pressure_test":
      return [
        { type: "reading", name: "pressure", label: "pumped to", units: pressures },
        { type: "number", name: "minutes", label: "minutes", initial: "10" },
        { type: "reading", name: "drop", label: "fell by", units: pressures },
        note,
      ];
    case "level_check":
      return [
        { type: "choice", name: "mark", label: "level", options: levels, buttons: true, none: inMillimetres },
        {
          type: "choice",
          name: "temper",
          label: "system",
          options: options("cold", "hot"),
          initial: "cold",
          buttons: true,
        },
        ...(values("mark") === inMillimetres
          ? ([
              { type: "reading", name: "over", label: "over the upper mark (− below)", units: ["mm"] },
            ] satisfies FieldSpec[])
          : []),
        {
          type: "choice",
          name: "place",
          label: "seen in the",
          options: [["", "tank with the marks"], ...options("header", "bottle")],
          optional: true,
        },
        note,
      ];
    case "inspection":
      return [
        {
          type: "lines",
          name: "points",
          label: "point",
          key: "point",
          keys: inspected(account),
          columns: [
            {
              type: "choice",
              name: "state",
              label: "state",
              options: options("good", "watch", "bad", "renewed"),
              optional: true,
            },
          ],
        },
        { type: "number", name: "blocked", label: "fins blocked, %", optional: true },
        note,
      ];
    case "defect_opened":
      return [
        { type: "text", name: "what", label: "what is wrong", width: "360px" },
        {
          type: "choice",
          name: "severity",
          label: "how bad",
          options: [
            ["repair", "repair it"],
            ["watch", "watch it"],
            ["stop", "must not run"],
          ],
          initial: "repair",
        },
      ];
    case "defect_closed":
      return [
        {
          type: "choice",
          name: "defect",
          label: "defect",
          options: account.defects.map((d) => [d.id, d.what] as const),
          initial: account.defects[0]?.id ?? "",
        },
        { type: "text", name: "how", label: "how it was repaired", width: "320px" },
      ];
    case "meter":
      return [...meter("meter", "meter", false)];
    case "meter_change":
      return [
        ...meter("new", "new meter begins at", false),
        ...meter("old", "old one's last reading (if known)", true),
      ];
    case "zero_check":
      return [
        { type: "text", name: "tool", instrument: true, label: "which instrument", width: "140px" },
        { type: "reading", name: "zero", label: "on purified water it reads", units: scales },
      ];
    case "lay_up":
      return account.unit.kind === "boat"
        ? [{ type: "choice", name: "rawWater", label: "raw-water side", options: rawStates, optional: true }, note]
        : [note];
    case "raw_water":
      return [
        { type: "choice", name: "state", label: "raw-water side", options: rawStates, buttons: true },
        ...(values("state") === "filled"
          ? ([
              { type: "reading", name: "freeze", label: "protects to", units: degrees, optional: true, minus: true },
            ] satisfies FieldSpec[])
          : []),
        note,
      ];
    case "combustion_test":
      return [
        { type: "choice", name: "gas", label: "combustion gas", options: options("none", "found"), buttons: true },
        note,
      ];
    case "return":
      return [note];
    case "hold":
      return [{ type: "text", name: "why", label: "why it must not run", width: "400px" }];
    case "release":
      return [
        { type: "text", name: "what", label: "what was done", width: "360px" },
        ...(account.unit.kind === "aircraft"
          ? ([
              { type: "text", name: "certificate", label: "certificate number", width: "150px" },
              { type: "text", name: "certificateKind", label: "kind of certificate", width: "200px" },
              { type: "text", name: "data", label: "approved data", width: "160px" },
              { type: "reading", name: "totalTime", label: "total time", units: ["h"], optional: true },
            ] satisfies FieldSpec[])
          : []),
      ];
    case "note":
      return [{ type: "text", name: "text", label: "note", width: "440px" }];
    case "strike":
      return [
        { type: "line", name: "entry", label: "the line", kind: "strike" },
        { type: "text", name: "why", label: "why it is struck", width: "360px" },
      ];
  }
}

const rawStates: Options = options("drained", "filled", "wet");

/** Figures of a laboratory alone. */
const laboratory = ["glycolate", "chloride", "sulphate", "iron", "copper", "lead", "aluminium"];

/** The batch of a product and its shelf life. */
const batch: readonly FieldSpec[] = [
  { type: "text", name: "batch", label: "batch (if shown)", optional: true, width: "120px" },
  { type: "date", name: "useBefore", label: "use before", optional: true },
];

/** The choice of a level that is measured in place of judged by a mark. */
export const inMillimetres = "millimetres";
const levels: Options = [
  ...options("above", "max", "between", "min", "below", "empty"),
  [inMillimetres, "in millimetres"],
];

/** A figure; of a strip, the two ends of its step. */
function step(name: string, label: string, values: Values): FieldSpec[] {
  if (values("method") !== "strip") return [{ type: "number", name, label, optional: true }];
  return [
    { type: "number", name, label: `${label}: step from`, optional: true },
    { type: "number", name: `${name}To`, label: "to", optional: true },
  ];
}

/** What a concentration is stated as, once there is one. */
function statedAs(name: string, bases: readonly string[], values: Values): FieldSpec[] {
  if (!values(name)) return [];
  return [
    {
      type: "choice",
      name: `${name}As`,
      label: `${name} stated as`,
      options: bases.map((b) => [b, b] as const),
      initial: bases[0] ?? "",
    },
  ];
}

const drainPoints: readonly string[] = [
  "petcock",
  "lower_hose",
  "block",
  "heater_core",
  "expansion_tank",
  "heat_exchanger",
  "other",
];

/** A volume that came out was given by some drain point. */
const drainedBy = (values: Values) => drainPoints.some((point) => values(`drained.${point}.volume`).trim() !== "");

/** The chart belongs to its tester: the one that it was last read with, else an example to be typed over. */
function chartOf(account: Account, tool: string): string {
  const last = account.charts.find((c) => c.tool === tool.trim());
  return last?.celsius.join(", ") ?? "-8, -15, -23, -30, -36, -44";
}

function freezeFields(values: Values, account: Account): FieldSpec[] {
  const instrument: FieldSpec = {
    type: "choice",
    name: "instrument",
    label: "with a",
    options: options("refractometer", "hydrometer", "discs", "strip"),
    initial: "refractometer",
  };
  const sample: FieldSpec = {
    type: "reading",
    name: "sample",
    label: "sample (if taken)",
    units: degrees,
    optional: true,
  };
  const tool: FieldSpec = {
    type: "text",
    name: "tool",
    instrument: true,
    label: "which one",
    optional: true,
    width: "90px",
  };
  switch (values("instrument")) {
    case "hydrometer":
      return [{ type: "reading", name: "value", label: "relative density", units: ["sg"] }, instrument, sample, tool];
    case "discs":
      return [
        { type: "reading", name: "value", label: "floating", units: ["discs"] },
        instrument,
        {
          type: "numbers",
          name: "chart",
          label: "the tester's chart, °C",
          hint: "for 1, 2, 3 … discs",
          initial: chartOf(account, values("tool")),
        },
        { type: "text", name: "tool", instrument: true, label: "which tester", width: "110px" },
      ];
    case "strip":
      return [
        { type: "reading", name: "value", label: "band, warm end", units: degrees, minus: true },
        { type: "number", name: "cold", label: "cold end, °C", optional: true },
        instrument,
        { type: "check", name: "expired", label: "past its date" },
        { type: "check", name: "late", label: "read too late" },
      ];
  }
  return [
    { type: "reading", name: "value", label: "line on the scale", units: scales, minus: true },
    {
      type: "choice",
      name: "scale",
      label: "scale",
      options: [
        ["EG", "EG, ethylene glycol"],
        ["PG", "PG, propylene glycol"],
        ...(account.base === "waterless" ? ([["waterless", "water in waterless, %"]] as const) : []),
      ],
    },
    instrument,
    tool,
    { type: "number", name: "zero", label: "on water it read", optional: true },
    sample,
  ];
}

function inspected(account: Account): string[] {
  const common = ["pump", "weep_hole", "drain_plug", "recovery_tank", "ground"];
  return account.unit.kind === "boat"
    ? [...common, "heat_exchanger", "impeller", "anti_siphon", "anodes", "block_heater", "thermostat"]
    : ["fins", ...common, "heat_exchanger", "block_heater", "thermostat"];
}

/** What one press records of parts that were found all good, and in which words. */
export interface AllGood {
  readonly words: string;
  readonly values: Readonly<Record<string, string>>;
}

/** The entry of a kind that says that all is good; undefined for a kind of which there is none. */
export function allGood(kind: EntryKind): AllGood | undefined {
  switch (kind) {
    case "cap_test":
      return {
        words: "all good: seal good, vacuum valve opens, seated; opening pressure not measured",
        values: { seal: "good", vacuum: "opens", seated: "yes" },
      };
    case "hose_check":
      return {
        words: "all good: every hose and clamp listed here",
        values: Object.fromEntries(
          hoses.flatMap((h) => [
            [`hoses.${h}.state`, "good"],
            [`hoses.${h}.clamp`, "good"],
          ]),
        ),
      };
    default:
      return undefined;
  }
}

const hoses: readonly string[] = ["upper", "lower", "heater_feed", "heater_return", "bypass", "recovery"];

/** A way to begin an entry: its kind, its key, and what is given already. */
export interface Way {
  readonly kind: EntryKind;
  readonly key: string;
  readonly words: string;
  readonly preset?: Readonly<Record<string, string>>;
}

/** Those that have a key of their own on the page, in the order of how often they are written. */
export const ways: readonly Way[] = [
  { kind: "freeze_test", key: "f", words: "freeze test" },
  { kind: "top_up", key: "u", words: "top-up" },
  { kind: "top_up", key: "w", words: "water", preset: { with: "water" } },
  { kind: "level_check", key: "v", words: "level" },
  { kind: "meter", key: "o", words: "meter" },
  { kind: "renewal", key: "r", words: "renewal" },
  { kind: "renewal", key: "e", words: "renewal, emptied", preset: { emptied: "yes" } },
];

/** All others, behind "n": the second key. */
export const moreWays: readonly Way[] = [
  { kind: "loss", key: "l", words: "loss" },
  { kind: "cap_test", key: "c", words: "cap" },
  { kind: "hose_check", key: "h", words: "hoses and clamps" },
  { kind: "inspection", key: "i", words: "inspection" },
  { kind: "chemistry_test", key: "y", words: "chemistry" },
  { kind: "dose", key: "j", words: "dose of SCA" },
  { kind: "extender", key: "k", words: "extender" },
  { kind: "additive_filter", key: "1", words: "additive filter" },
  { kind: "pressure_test", key: "p", words: "pressure test" },
  { kind: "combustion_test", key: "2", words: "combustion gas" },
  { kind: "raw_water", key: "3", words: "raw-water side" },
  { kind: "zero_check", key: "z", words: "zero check" },
  { kind: "defect_opened", key: "d", words: "defect" },
  { kind: "defect_closed", key: "s", words: "close a defect" },
  { kind: "hold", key: "x", words: "hold" },
  { kind: "release", key: "a", words: "release" },
  { kind: "lay_up", key: "q", words: "lay up" },
  { kind: "return", key: "b", words: "back in use" },
  { kind: "meter_change", key: "m", words: "meter changed" },
  { kind: "opening", key: "g", words: "opening" },
  { kind: "note", key: "t", words: "note" },
];
