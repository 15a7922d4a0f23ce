import { useCallback, useEffect, useState, useSyncExternalStore } from "react";
import { Problem, type Schemas, api } from "../api/client";
import { timeNow } from "../frame/clock";
import { type JobLine, type KeptJob, device } from "../frame/device";
import { sendable } from "../frame/outbox";
import { newId } from "../round/answers";
import { jobView } from "../round/core";

export type JobView = Schemas["JobView"];
export type JobStep = Schemas["JobStep"];
export type JobEvent = JobLine["event"];

/** How often the server is asked what others did on a job that lies open, ms. */
const askEvery = 2_000;

let lines: readonly JobLine[] = [];
const listeners = new Set<() => void>();
const channel = typeof BroadcastChannel === "undefined" ? undefined : new BroadcastChannel("diligent.jobs");

async function refresh() {
  const db = await device();
  lines = (await db.getAll("jobEvents")).sort(
    (a, b) => a.event.at.localeCompare(b.event.at) || a.id.localeCompare(b.id),
  );
  listeners.forEach((l) => l());
}

async function changed() {
  await refresh();
  channel?.postMessage("changed");
}

channel?.addEventListener("message", () => void refresh());

let started: Promise<void> | undefined;
const open = () => (started ??= refresh());

/** Events of a person that are not on the server yet, those that it refused among them. */
export function useJobLines(person: string): readonly JobLine[] {
  const all = useSyncExternalStore(
    (listener) => {
      listeners.add(listener);
      void open().catch(() => undefined);
      return () => listeners.delete(listener);
    },
    () => lines,
  );
  return all.filter((l) => l.person === person);
}

/** Keeps an event until the server has it. */
export async function keepEvent(
  person: string,
  job: string,
  unit: string,
  what: string,
  event: Omit<JobEvent, "id" | "at">,
) {
  await open();
  const id = newId();
  const line: JobLine = { id, person, job, unit, what, event: { ...event, id, at: timeNow().toISOString() } };
  const db = await device();
  const tx = db.transaction("jobEvents", "readwrite", { durability: "strict" });
  await Promise.all([tx.store.put(line), tx.done]);
  await changed();
}

/** Drops an event that the server refused. */
export async function dropEvent(id: string) {
  await (await device()).delete("jobEvents", id);
  await changed();
}

const keyOf = (person: string, job: string) => `${person} ${job}`;

async function keepJob(person: string, job: Schemas["Job"]): Promise<KeptJob> {
  const kept: KeptJob = { id: job.id, person, revision: job.revision, pack: job.pack };
  await (await device()).put("jobs", kept, keyOf(person, job.id));
  return kept;
}

const reasons = (p: Problem) =>
  p.fields.length > 0
    ? p.fields.map((f) => [f.detail, f.accepted].filter(Boolean).join("; accepted: ")).join("; ")
    : p.message;

/** One tab of this device sends at a time. */
async function locked<T>(work: () => Promise<T>): Promise<T | undefined> {
  if (!("locks" in navigator)) return work();
  return navigator.locks.request("diligent.jobs", { ifAvailable: true }, (lock) => (lock ? work() : undefined));
}

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
    await (await device()).put("jobEvents", { ...first, why: reasons(error) });
    return true;
  }
}

/** Sends what waits. An event keeps its id, so that one whose answer was lost is kept once. */
export async function sendEvents(person: string) {
  await open();
  await locked(async () => {
    const session = await api.session().catch(() => undefined);
    if (session?.person?.email !== person) {
      if (session !== undefined) api.noSession();
      return;
    }
    await refresh();
    const waiting = lines.filter((l) => l.person === person && l.why === undefined);
    for (const job of new Set(waiting.map((l) => l.job)))
      if (!(await sendSome(person, waiting.filter((l) => l.job === job).slice(0, 100)))) break;
  });
  await changed();
}

export interface OpenJob {
  readonly kept?: KeptJob;
  readonly view?: JobView;
  readonly waiting: readonly JobLine[];
  /** Events as the core takes them: by the person of the pack. */
  readonly events: readonly unknown[];
  readonly error?: Error;
  readonly stale: boolean;
  readonly again: () => Promise<void>;
}

/** A job that lies open: from the server, else as this device has it, with what waits here. */
export function useJob(person: string, id: string): OpenJob {
  const [kept, setKept] = useState<KeptJob>();
  const [view, setView] = useState<JobView>();
  const [error, setError] = useState<Error>();
  const [stale, setStale] = useState(false);
  const all = useJobLines(person).filter((l) => l.job === id);
  const waiting = all.filter((l) => l.why === undefined);
  const again = useCallback(async () => {
    const before = await (await device()).get("jobs", keyOf(person, id)).catch(() => undefined);
    if (before) setKept((now) => (now && now.revision >= before.revision ? now : before));
    try {
      const job = await api.job(id, before?.revision);
      setStale(false);
      setError(undefined);
      if (job) setKept(await keepJob(person, job));
    } catch (e) {
      setStale(true);
      if (!before || (e instanceof Problem && e.status === 404)) setError(e as Error);
    }
  }, [person, id]);
  useEffect(() => {
    const first = setTimeout(() => void again(), 0);
    const timer = setInterval(() => {
      if (document.visibilityState === "visible") void again();
    }, askEvery);
    return () => {
      clearTimeout(first);
      clearInterval(timer);
    };
  }, [again]);
  const ids = waiting.map((l) => l.id).join();
  useEffect(() => {
    if (ids === "") {
      const timer = setTimeout(() => void again(), 0);
      return () => clearTimeout(timer);
    }
    const send = () => void sendEvents(person).catch(() => undefined);
    send();
    const timer = setInterval(send, 4_000);
    window.addEventListener("online", send);
    return () => {
      clearInterval(timer);
      window.removeEventListener("online", send);
    };
  }, [ids, person, again]);
  const events = eventsOf(kept, waiting);
  const key = JSON.stringify(events);
  useEffect(() => {
    if (!kept) return undefined;
    let gone = false;
    const draw = () =>
      void jobView(kept.pack, JSON.parse(key) as unknown[], timeNow()).then(
        (v) => {
          if (!gone) setView(v);
        },
        (e: unknown) => {
          if (!gone) setError(e as Error);
        },
      );
    draw();
    const timer = setInterval(draw, 15_000); // timers run out
    return () => {
      gone = true;
      clearInterval(timer);
    };
  }, [kept, key]);
  return { kept, view, waiting: all, events, error, stale, again };
}

/** Events that wait, by the person who sends them; those that the pack has already are left out. */
function eventsOf(kept: KeptJob | undefined, waiting: readonly JobLine[]): readonly unknown[] {
  if (!kept) return [];
  const pack = JSON.parse(kept.pack) as {
    actor: { ID: number; Name: string; Role: string };
    events: readonly { id: string }[];
  };
  const there = new Set(pack.events.map((e) => e.id));
  return waiting
    .filter((l) => !there.has(l.id))
    .map((l) => ({ ...l.event, by: pack.actor.Name, byId: pack.actor.ID, role: pack.actor.Role }));
}
