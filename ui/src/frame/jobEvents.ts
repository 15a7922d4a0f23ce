import { Problem, type Schemas, api } from "../api/client";
import { timeNow } from "./clock";
import { type JobLine, type KeptJob, device } from "./device";
import { locked, reasons, sendable } from "./outbox";
import { source } from "./source";
import { v7 as uuidv7 } from "uuid";

export type JobEvent = JobLine["event"];

const lines = source<readonly JobLine[]>([], () => {
  void open().catch(() => undefined);
  return undefined;
});
const channel = typeof BroadcastChannel === "undefined" ? undefined : new BroadcastChannel("diligent.jobs");

/** Jobs that lie open, as the server had them last. */
const packs = new Map<string, KeptJob>();

/**
 * Reads events and jobs anew, as another tab or this one left them. A job is taken over before its events are gone from the queue:
 * a sheet never goes back by a step.
 */
async function refresh() {
  const db = await device();
  for (const [key, had] of packs) {
    const now = await db.get("jobs", key);
    if (now && now.revision >= had.revision) packs.set(key, now);
  }
  lines.set((await db.getAll("jobEvents")).sort((a, b) => (a.order ?? 0) - (b.order ?? 0) || a.id.localeCompare(b.id)));
}

async function changed() {
  await refresh();
  channel?.postMessage("changed");
}

/** Reads the events anew in all tabs, after something else changed them. */
export const rereadEvents = changed;

channel?.addEventListener("message", () => void refresh());

let started: Promise<void> | undefined;
const open = () =>
  (started ??= refresh().catch((error: unknown) => {
    started = undefined;
    throw error;
  }));

/** Events of a person that are not on the server yet, those that it refused among them. */
export const useJobLines = (person: string): readonly JobLine[] => lines.use().filter((l) => l.person === person);

/** Keeps an event until the server has it. */
export async function keepEvent(
  person: string,
  job: string,
  unit: string,
  what: string,
  event: Omit<JobEvent, "id" | "at">,
) {
  await open();
  const id = uuidv7();
  const db = await device();
  const tx = db.transaction("jobEvents", "readwrite", { durability: "strict" });
  // After those that wait, whatever a clock says that was set meanwhile.
  const order = Math.max(0, ...(await tx.store.getAll()).map((l) => l.order ?? 0)) + 1;
  const line: JobLine = { id, person, job, unit, what, order, event: { ...event, id, at: timeNow().toISOString() } };
  await Promise.all([tx.store.put(line), tx.done]);
  await changed();
}

/** Drops an event that the server refused. */
export async function dropEvent(id: string) {
  await (await device()).delete("jobEvents", id);
  await changed();
}

const keyOf = (person: string, job: string) => `${person} ${job}`;

export async function keepJob(person: string, job: Schemas["Job"]) {
  const key = keyOf(person, job.id);
  const kept: KeptJob = { id: job.id, person, revision: job.revision, pack: job.pack, problem: job.problem };
  if ((packs.get(key)?.revision ?? -1) <= kept.revision) packs.set(key, kept);
  // An answer that was on its way for long must not take the place of a later one, of this tab or another.
  const tx = (await device()).transaction("jobs", "readwrite");
  const there = await tx.store.get(key);
  if (!there || there.revision <= kept.revision) await tx.store.put(kept, key);
  await tx.done;
  lines.changed();
}

/** Opens a job as this device has it; undefined when it has none. */
export async function openKept(person: string, id: string): Promise<KeptJob | undefined> {
  const key = keyOf(person, id);
  const had = packs.get(key);
  if (had) return had;
  const kept = await (await device()).get("jobs", key);
  if (kept && !packs.has(key)) {
    packs.set(key, kept);
    lines.changed();
  }
  return packs.get(key);
}

/** A job as this device has it now. */
export const useKept = (person: string, id: string): KeptJob | undefined =>
  lines.useOf(() => packs.get(keyOf(person, id)));

/** Sends some events of one job; false when it is to be tried again later. */
async function sendSome(person: string, some: readonly JobLine[]): Promise<boolean> {
  const first = some[0];
  if (!first) return true;
  try {
    const job = await api.addJobEvents(first.job, { events: some.map((l) => l.event) });
    await keepJob(person, job);
    const db = await device();
    const tx = db.transaction("jobEvents", "readwrite");
    await Promise.all([...some.map((l) => tx.store.delete(l.id)), tx.done]);
    return true;
  } catch (error) {
    if (sendable(error) || !(error instanceof Problem)) return false;
    if (some.length > 1) {
      for (const l of some) if (!(await sendSome(person, [l]))) return false;
      return true;
    }
    const tx = (await device()).transaction("jobEvents", "readwrite");
    if (await tx.store.get(first.id))
      await tx.store.put({ ...first, why: reasons({ title: error.message, errors: [...error.fields] }) });
    await tx.done;
    return true;
  }
}

/** Sends what waits. An event keeps its id, so that one whose answer was lost is kept once. */
export async function sendEvents(person: string) {
  await open();
  await locked(
    async () => {
      const session = await api.session().catch(() => undefined);
      if (session?.person?.email !== person) {
        if (session !== undefined) api.noSession();
        return;
      }
      await refresh();
      const waiting = lines.get().filter((l) => l.person === person && l.why === undefined);
      for (const job of new Set(waiting.map((l) => l.job)))
        if (!(await sendSome(person, waiting.filter((l) => l.job === job).slice(0, 100)))) break;
    },
    false,
    "diligent.jobs",
  );
  await changed();
}

/** Forgets the jobs that a person has taken along; what is not sent stays. */
export async function forgetJobs(person: string) {
  packs.clear();
  const db = await device();
  for (const key of await db.getAllKeys("jobs")) if (key.startsWith(`${person} `)) await db.delete("jobs", key);
}
