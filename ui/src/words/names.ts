import { codeNames, placeNames } from "./names.gen";

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
