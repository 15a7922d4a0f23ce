import { codeNames } from "./names.gen";

export { clockNames, kindNames, roleNames, verdictWords, workNames } from "./names.gen";

const names: Partial<Record<string, string>> = codeNames;

/** A code in words; one that has none of its own reads as it is. */
export const word = (code: string) => names[code] ?? code.replaceAll("_", " ");
