import { useSyncExternalStore } from "react";
import { type EntryInput, Problem, api } from "../api/client";
import type { KeptDraft } from "../account/kept";

/** An entry that could not be sent and is kept on this device until it is. */
export interface Unsent {
  /** Address of the person who recorded it: no one else sends it. */
  readonly person: string;
  readonly unit: string;
  readonly entry: EntryInput;
  /** What it says, in a few words. */
  readonly what: string;
  /** What it was typed as, to be opened again when it is refused. */
  readonly draft: KeptDraft;
  /** Why the server refused it. */
  readonly refused?: string;
}

const key = "diligent.unsent";
const listeners = new Set<() => void>();

const text = () => localStorage.getItem(key) ?? "[]";

/** The entries of a text; none of one that is damaged, which must not take the page with it. */
function entriesOf(stored: string): Unsent[] {
  try {
    const list: unknown = JSON.parse(stored);
    if (!Array.isArray(list)) return [];
    return (list as (Partial<Unsent> | null)[]).filter((u): u is Unsent => u?.entry !== undefined);
  } catch {
    return [];
  }
}

const all = () => entriesOf(text());

function save(list: readonly Unsent[]) {
  localStorage.setItem(key, JSON.stringify(list));
  listeners.forEach((l) => l());
}

/** Keeps an entry to be sent; an error when the device has no room for it. */
export function keepUnsent(u: Unsent) {
  save([...all().filter((o) => o.entry.id !== u.entry.id), u]);
}

export const dropUnsent = (id: string) => save(all().filter((o) => o.entry.id !== id));

export function useUnsent(person: string): Unsent[] {
  const list = useSyncExternalStore((changed) => {
    listeners.add(changed);
    window.addEventListener("storage", changed);
    return () => {
      listeners.delete(changed);
      window.removeEventListener("storage", changed);
    };
  }, text);
  return entriesOf(list).filter((u) => u.person === person);
}

/** Whether an error says that the entry may be sent again as it is: no answer, no session, no database. */
export const sendable = (error: unknown) =>
  error instanceof Problem &&
  (error.status === 0 || error.status === 401 || error.status === 429 || error.status >= 500);

/**
 * Sends what a person has waiting, in the order of recording, one tab at a time; gives the units that were written to. An entry
 * keeps its id, so that one whose answer was lost is recorded once.
 */
export async function sendUnsent(person: string): Promise<string[]> {
  const sent: string[] = [];
  const work = async () => {
    // Another person may have signed in since, in another tab: the server would record it as theirs.
    const session = await api.session().catch(() => undefined);
    if (session?.person?.email !== person) return;
    for (const u of all().filter((o) => o.person === person && o.refused === undefined)) {
      try {
        await api.write(u.unit, u.entry);
        sent.push(u.unit);
        dropUnsent(u.entry.id);
      } catch (error) {
        if (sendable(error)) return;
        const why = error instanceof Problem ? reasons(error) : String(error);
        save(all().map((o) => (o.entry.id === u.entry.id ? { ...o, refused: why } : o)));
      }
    }
  };
  if ("locks" in navigator)
    await navigator.locks.request(key, { ifAvailable: true }, (lock) => (lock ? work() : undefined));
  else await work();
  return sent;
}

const reasons = (p: Problem) =>
  p.fields.length > 0
    ? p.fields.map((f) => [f.detail, f.accepted].filter(Boolean).join("; accepted: ")).join("; ")
    : p.message;
