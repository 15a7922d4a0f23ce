import { useCallback, useEffect, useState } from "react";
import { Problem, type Schemas, api } from "../api/client";
import { timeNow } from "../frame/clock";
import type { JobLine, KeptJob } from "../frame/device";
import { keepJob, openKept, sendEvents, useJobLines, useKept } from "../frame/jobEvents";
import { jobView } from "../round/core";

export { dropEvent, keepEvent } from "../frame/jobEvents";

export type JobView = Schemas["JobView"];
export type JobStep = Schemas["JobStep"];

/** How often the server is asked what others did on a job that lies open, ms. */
const askEvery = 2_000;

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
  const kept = useKept(person, id);
  const [view, setView] = useState<JobView>();
  const [error, setError] = useState<Error>();
  const [stale, setStale] = useState(false);
  const all = useJobLines(person).filter((l) => l.job === id);
  const waiting = all.filter((l) => l.why === undefined);
  const again = useCallback(async () => {
    const before = await openKept(person, id).catch(() => undefined);
    try {
      const job = await api.job(id, before?.revision);
      setStale(false);
      setError(undefined);
      if (job) await keepJob(person, job);
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
