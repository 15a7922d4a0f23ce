import type { Clock } from "../api/client";
import { clockNames, codeNames, placeNames } from "./names.gen";

export {
  auditNames,
  clockLetters,
  clockNames,
  kindNames,
  roleNames,
  severityNames,
  stopNames,
  verdictWords,
  workNames,
} from "./names.gen";

const names: Partial<Record<string, string>> = codeNames;

const places: Partial<Record<string, string>> = placeNames;

/** Where a part goes, for those that are distinguished by it. */
export const placeOf = (code: string) => places[code];

/** A code in words; one that has none of its own reads as it is. */
export const word = (code: string) => names[code] ?? code.replaceAll("_", " ");

/** A clock by its name, with its circuit on a unit with several: "starboard freeze". */
export const clockName = (c: Pick<Clock, "kind" | "circuit">): string =>
  [c.circuit, clockNames[c.kind].toLowerCase()].filter(Boolean).join(" ");

/** Distinguishes the clocks of a unit, which may have several of a kind. */
export const clockId = (c: Pick<Clock, "kind" | "circuit" | "unit">): string =>
  [c.kind, c.unit ?? "", c.circuit ?? ""].join(" ");
