import type { Clock, EntryKind, Schemas, Verdict } from "../api/client";

/** Words for the codes of the contract, in the workshop's own terms. */

export const kindNames: Record<EntryKind, string> = {
  opening: "Opening",
  renewal: "Renewal",
  top_up: "Top-up",
  loss: "Loss",
  freeze_test: "Freeze test",
  chemistry_test: "Chemistry",
  dose: "Dose of SCA",
  extender: "Extender",
  additive_filter: "Additive filter",
  cap_test: "Cap",
  hose_check: "Hoses",
  pressure_test: "Pressure test",
  level_check: "Level",
  inspection: "Inspection",
  defect_opened: "Defect",
  defect_closed: "Defect closed",
  meter: "Meter",
  meter_change: "Meter changed",
  zero_check: "Zero check",
  lay_up: "Laid up",
  return: "Back in use",
  hold: "Hold",
  release: "Release",
  note: "Note",
  strike: "Strike",
};

export const workNames: Record<Schemas["Work"], string> = {
  renewal: "renewal",
  correction: "correct the mix",
  test: "freeze test",
  level: "level, cold",
  cap: "cap",
  hoses: "hoses",
  repair: "find the cause, repair",
  dose: "dose SCA or extender",
  filter: "change the additive filter",
  chemistry: "chemistry test",
};

export const roleNames: Record<Schemas["Role"], string> = {
  coordinator: "coordinator",
  technician: "technician",
  signatory: "signatory",
  reader: "reader",
};

/** Options of the entry form whose code does not read as words. */
const words: Record<string, string> = {
  petcock: "petcock",
  lower_hose: "lower hose",
  block: "block drain",
  heater_core: "heater core",
  expansion_tank: "expansion tank",
  heat_exchanger: "heat exchanger",
  gravity: "gravity, spill-free funnel",
  vacuum: "vacuum fill",
  pressure: "pressure fill",
  pump: "pump",
  manual: "bled by hand",
  cleaner: "cleaner",
  prep_fluid: "prep fluid",
  laboratory: "laboratory",
  waterless: "waterless",
  charged: "charged",
  need_release: "need release",
  heater_feed: "heater feed",
  heater_return: "heater return",
  on_ridge: "on the ridge",
  max: "at the upper mark",
  min: "at the lower mark",
  between: "between the marks",
  above: "above the upper mark",
  below: "below the lower mark",
  empty: "empty",
  weep_hole: "weep hole",
  drain_plug: "drain plug and washer",
  recovery_tank: "recovery tank",
  impeller: "raw-water impeller",
  anti_siphon: "anti-siphon valve",
  ground: "ground beneath",
  first_stage: "on its first stage",
  home: "turned home",
  discs: "floating discs",
  strip: "test strip",
  stop: "must not run",
};

/** A code in words; one that has none of its own reads as it is. */
export const word = (code: string) => words[code] ?? code.replaceAll("_", " ");

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
