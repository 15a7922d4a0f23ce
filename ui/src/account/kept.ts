import type { EntryKind } from "../api/client";
import { source } from "../frame/source";
import type { Draft } from "./draft";

/**
 * Drafts of entries, kept on this device until they are recorded or discarded: one for each person, unit and form. The form is
 * the kind with what it was opened for, so that a correction and a new entry do not mix.
 */
export interface KeptDraft {
  readonly kind: EntryKind;
  /** The part of the address that opens the form, such as "write=top_up&with=water". */
  readonly form: string;
  readonly draft: Draft;
  /** When it was changed last, RFC 3339. */
  readonly changed: string;
}

const prefix = "diligent.draft/";
const keyOf = (person: string, unit: string, form: string) =>
  `${prefix}${encodeURIComponent(person)}/${encodeURIComponent(unit)}/${form}`;

const drafts = source(undefined, (changed) => {
  window.addEventListener("storage", changed);
  return () => window.removeEventListener("storage", changed);
});

export function keepDraft(person: string, unit: string, kept: KeptDraft) {
  try {
    localStorage.setItem(keyOf(person, unit, kept.form), JSON.stringify(kept));
  } catch {
    // No room on the device: the form itself still has it.
  }
  drafts.changed();
}

export function dropDraft(person: string, unit: string, form: string) {
  localStorage.removeItem(keyOf(person, unit, form));
  drafts.changed();
}

/** Drops all drafts of a person on this device. */
export function dropDrafts(person: string) {
  const start = `${prefix}${encodeURIComponent(person)}/`;
  for (const key of Object.keys(localStorage)) if (key.startsWith(start)) localStorage.removeItem(key);
  drafts.changed();
}

/** Drafts of a person as they are stored, by key. */
export function draftsOf(person: string): (readonly [key: string, text: string])[] {
  const start = `${prefix}${encodeURIComponent(person)}/`;
  return Object.keys(localStorage)
    .filter((key) => key.startsWith(start))
    .map((key) => [key, localStorage.getItem(key) ?? ""]);
}

/** Stores the text of a draft, or removes it. */
export function putDraft(key: string, text: string | undefined) {
  if (text === undefined) localStorage.removeItem(key);
  else localStorage.setItem(key, text);
  drafts.changed();
}

export const keptDraft = (person: string, unit: string, form: string) => read(keyOf(person, unit, form));

function read(key: string): KeptDraft | undefined {
  try {
    const kept = JSON.parse(localStorage.getItem(key) ?? "null") as KeptDraft | null;
    return typeof kept?.draft.values === "object" ? kept : undefined;
  } catch {
    return undefined;
  }
}

/** The drafts of a person for a unit, as text that is the same while they are. */
function listOf(person: string, unit: string): string {
  const start = keyOf(person, unit, "");
  const keys = Object.keys(localStorage).filter((k) => k.startsWith(start));
  return JSON.stringify(keys.sort().map((k) => read(k) ?? null));
}

export function useKeptDrafts(person: string, unit: string): KeptDraft[] {
  const text = drafts.useOf(() => listOf(person, unit));
  return (JSON.parse(text) as (KeptDraft | null)[]).filter((k) => k !== null);
}
