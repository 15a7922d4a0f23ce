import { type EntryInput, Problem, type Schemas, api } from "../api/client";
import type { KeptDraft } from "../account/kept";
import { serverSaid, timeNow } from "./clock";
import { type Line, device, sha256 } from "./device";
import { source } from "./source";

/** How many entries, and bytes of them, are sent at once. */
const mostAtOnce = 40;
const mostBytes = 150_000;
/** How long what was written is kept for the rounds of the device, ms. */
const keptFor = 48 * 3600_000;

const lines = source<readonly Line[]>([], () => {
  void openQueue().catch(() => undefined);
  return undefined;
});
const channel = typeof BroadcastChannel === "undefined" ? undefined : new BroadcastChannel("diligent.queue");

/** Reads the queue anew, as another tab or this one left it. */
async function refresh() {
  const db = await device();
  lines.set(
    (await db.getAll("queue")).sort(
      (a, b) => (a.order ?? 0) - (b.order ?? 0) || a.recordedAt.localeCompare(b.recordedAt),
    ),
  );
}

async function changed() {
  await refresh();
  channel?.postMessage("changed");
}

/** Reads the queue anew in all tabs, after something else changed it. */
export const rereadQueue = changed;

channel?.addEventListener("message", () => void refresh());

/** The first program kept its queue elsewhere: what waits there is taken over. */
const oldKey = "diligent.unsent";

interface OldLine {
  readonly person: string;
  readonly unit: string;
  readonly entry: EntryInput;
  readonly what: string;
  readonly draft?: KeptDraft;
  readonly refused?: string;
}

async function takeOver() {
  const stored = localStorage.getItem(oldKey);
  if (stored === null) return;
  let list: unknown;
  try {
    list = JSON.parse(stored);
  } catch {
    list = [];
  }
  const db = await device();
  for (const o of Array.isArray(list) ? (list as (Partial<OldLine> | null)[]) : []) {
    const entry = o?.entry;
    if (entry === undefined || typeof o?.person !== "string" || typeof o.unit !== "string") continue;
    const text = JSON.stringify(entry).normalize("NFC");
    await db.put("queue", {
      id: entry.id,
      person: o.person,
      unit: o.unit,
      text,
      sha256: await sha256(text),
      recordedAt: entry.at,
      what: o.what ?? entry.kind,
      draft: o.draft,
      state: o.refused === undefined ? "waiting" : "refused",
      why: o.refused,
    });
  }
  localStorage.removeItem(oldKey);
}

let started: Promise<void> | undefined;

/** Opens the queue; an error when this device keeps nothing. */
export const openQueue = (): Promise<void> =>
  (started ??= takeOver()
    .then(refresh)
    .catch((error: unknown) => {
      // What failed once is tried again by the next that asks.
      started = undefined;
      throw error;
    }));

/** What is to be kept of an entry until it is sent. */
export interface Unsent {
  readonly person: string;
  readonly unit: string;
  readonly account?: number;
  readonly entry: EntryInput;
  readonly what: string;
  readonly draft?: KeptDraft;
  readonly round?: string;
  readonly code?: string;
  readonly act?: string;
}

/** The line of an entry, with its hash. */
export async function lineOf(u: Unsent): Promise<Line> {
  const { entry, ...rest } = u;
  const text = JSON.stringify(entry).normalize("NFC");
  return {
    ...rest,
    id: entry.id,
    text,
    sha256: await sha256(text),
    recordedAt: timeNow().toISOString(),
    state: "waiting",
  };
}

/** Keeps entries to be sent, all or none; an error when the device has no room for them. */
export async function keepUnsent(...all: readonly Unsent[]) {
  await openQueue();
  const made = await Promise.all(all.map(lineOf));
  const db = await device();
  const tx = db.transaction("queue", "readwrite", { durability: "strict" });
  // After those that wait, whatever a clock says that was set meanwhile.
  const last = Math.max(0, ...(await tx.store.getAll()).map((l) => l.order ?? 0));
  await Promise.all([...made.map((l, i) => tx.store.put({ ...l, order: last + 1 + i })), tx.done]);
  await changed();
}

/** Drops those of some lines that are not in the books, and gives their ids. */
export async function dropUnsent(...ids: readonly string[]): Promise<readonly string[]> {
  const dropped = await locked(async () => {
    const db = await device();
    const tx = db.transaction("queue", "readwrite");
    const found = await Promise.all(ids.map((id) => tx.store.get(id)));
    const unsent = found.filter((l) => l !== undefined).filter((l) => l.state !== "written");
    await Promise.all(unsent.map((l) => tx.store.delete(l.id)));
    await tx.done;
    return unsent.map((l) => l.id);
  }, true);
  await changed();
  return dropped ?? [];
}

/** All lines of a person, those that were written lately among them. */
export const useLines = (person: string): readonly Line[] => lines.use().filter((l) => l.person === person);

export const useUnsent = (person: string): readonly Line[] => useLines(person).filter((l) => l.state !== "written");

/** Lines that wait or were written lately, as they are now. */
export const currentLines = (person: string) => lines.get().filter((l) => l.person === person);

/** Whether an error says that the entry may be sent again as it is: no answer, no session, no database. */
export const sendable = (error: unknown) =>
  error instanceof Problem &&
  (error.status === 0 || error.status === 401 || error.status === 429 || error.status >= 500);

export const reasons = (p: Pick<Schemas["Problem"], "detail" | "title" | "errors">) =>
  p.errors && p.errors.length > 0
    ? p.errors.map((f) => [f.detail, f.accepted].filter(Boolean).join("; accepted: ")).join("; ")
    : (p.detail ?? p.title);

/** One tab of this device works on a queue at a time. */
export async function locked<T>(
  work: () => Promise<T>,
  wait = false,
  queue = "diligent.queue",
): Promise<T | undefined> {
  if (!("locks" in navigator)) return work();
  return navigator.locks.request(queue, { ifAvailable: !wait }, (lock) => (lock ? work() : undefined));
}

/** Lines by act, in their order; one without an act is by itself. */
function acts(some: readonly Line[]): readonly (readonly Line[])[] {
  const all = new Map<string, Line[]>();
  for (const l of some) all.set(l.act ?? l.id, [...(all.get(l.act ?? l.id) ?? []), l]);
  return [...all.values()];
}

/** Lines that go into one request: whole acts. */
function portion(waiting: readonly Line[]): readonly Line[] {
  const some: Line[] = [];
  let bytes = 0;
  for (const act of acts(waiting)) {
    bytes += 2 * act.reduce((sum, l) => sum + l.text.length, 0);
    if (some.length > 0 && (bytes >= mostBytes || some.length + act.length > mostAtOnce)) break;
    some.push(...act);
  }
  return some;
}

/** Changes a line that is in the queue; one that was dropped or sealed meanwhile stays away. */
async function put(line: Line) {
  const tx = (await device()).transaction("queue", "readwrite");
  if (await tx.store.get(line.id)) await tx.store.put(line);
  await tx.done;
}

const refusedFor = (l: Line, p: Pick<Schemas["Problem"], "detail" | "title" | "errors">): Line => ({
  ...l,
  state: "refused",
  why: reasons(p),
  fields: p.errors,
});

/** Sends some lines; false when it is to be tried again later. Units that were written to are added. */
async function sendSome(some: readonly Line[], written: Set<string>): Promise<boolean> {
  const asked = Date.now();
  let answer: Schemas["EntryBatchAnswer"];
  try {
    answer = await api.writeEntries({
      entries: some.map((l) => ({
        id: l.id,
        unit: l.unit,
        account: l.account,
        entry: l.text,
        sha256: l.sha256,
        act: l.act,
      })),
    });
  } catch (error) {
    if (sendable(error) || !(error instanceof Problem)) return false;
    const apart = acts(some);
    if (apart.length > 1) {
      // One of them makes the whole request invalid: each act by itself.
      for (const act of apart) if (!(await sendSome(act, written))) return false;
      return true;
    }
    for (const l of some) await put(refusedFor(l, { title: error.message, errors: [...error.fields] }));
    return true;
  }
  serverSaid(answer.now, asked, Date.now());
  let later = false;
  for (const r of answer.results) {
    const l = some.find((one) => one.id === r.id);
    if (!l) continue;
    if (r.state === "later") later = true;
    else if (r.state === "refused") await put(refusedFor(l, r.problem ?? { title: "refused" }));
    else {
      written.add(r.unit ?? l.unit);
      await put({ ...l, state: "written", why: undefined, fields: undefined });
    }
  }
  return !later;
}

/**
 * Sends what a person has waiting, one tab at a time; gives the units that were written to. An entry keeps its id, so that one
 * whose answer was lost is recorded once.
 */
export async function sendUnsent(person: string): Promise<string[]> {
  await openQueue();
  const written = new Set<string>();
  await locked(async () => {
    // Another person may have signed in since, in another tab: the server would record it as theirs.
    const session = await api.session().catch(() => undefined);
    if (session?.person?.email !== person) {
      if (session !== undefined) api.noSession();
      return;
    }
    await refresh();
    for (;;) {
      const waiting = lines.get().filter((l) => l.person === person && l.state === "waiting");
      if (waiting.length === 0 || !(await sendSome(portion(waiting), written))) break;
      await refresh();
    }
    await prune();
  });
  await changed();
  return [...written];
}

/** Forgets what was written long ago, and is in the walk that its person has on the device, if there is one. */
async function prune() {
  const db = await device();
  for (const l of await db.getAll("queue")) {
    if (l.state !== "written" || timeNow().getTime() - Date.parse(l.recordedAt) <= keptFor) continue;
    const walk = await db.get("walk", l.person);
    if (!walk || l.recordedAt < walk.takenAt) await db.delete("queue", l.id);
  }
}

/** Sends a refused line again, as it was confirmed, with all of its act. */
export async function confirmUnsent(line: Line) {
  const db = await device();
  const all = line.act === undefined ? [line] : (await db.getAll("queue")).filter((l) => l.act === line.act);
  for (const l of all) {
    if (l.state !== "refused") continue;
    const text = JSON.stringify({ ...(JSON.parse(l.text) as EntryInput), confirmed: true });
    await put({ ...l, text, sha256: await sha256(text), state: "waiting", why: undefined, fields: undefined });
  }
  await changed();
}
