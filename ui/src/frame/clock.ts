import { source } from "./source";

/** What the device knows of the time of the server. */
interface Known {
  /** Milliseconds that the clock of the device is behind the server's, at the last answer. */
  readonly offset: number;
  /** The latest time of the device that was seen: earlier than it, the clock was set back. */
  readonly seen: number;
}

const key = "diligent.clock";
/** From which difference on it is said, ms (judgement). */
const worthSaying = 5 * 60_000;
/** By how much two answers may differ that say the same, ms, and after how long it is written down that the clock went on. */
const openFor = 500;
const seenFor = 60_000;
/** Every half a minute it is asked again whether the clock was set. */
const clock = source(undefined, (changed) => {
  const timer = setInterval(changed, 30_000);
  return () => clearInterval(timer);
});

function known(): Known {
  try {
    const kept = JSON.parse(localStorage.getItem(key) ?? "{}") as Partial<Known>;
    return { offset: Number(kept.offset) || 0, seen: Number(kept.seen) || 0 };
  } catch {
    return { offset: 0, seen: 0 };
  }
}

function keep(k: Known) {
  try {
    localStorage.setItem(key, JSON.stringify(k));
  } catch {
    // No room: it is known again with the next answer.
  }
  clock.changed();
}

/** Takes the time from an answer of the server: now is its time, asked and answered are those of the device. */
export function serverSaid(now: string, asked: number, answered: number) {
  const at = Date.parse(now);
  if (Number.isNaN(at)) return;
  const offset = at - (asked + answered) / 2;
  const before = known();
  // What the way there and back leaves open is no other time; each change is written, and drawn.
  const open = (answered - asked) / 2 + openFor;
  if (Math.abs(offset - before.offset) <= open && answered >= before.seen && answered - before.seen < seenFor) return;
  keep({ offset: Math.abs(offset - before.offset) <= open ? before.offset : offset, seen: answered });
}

/** The time by the clock of the server, as far as it is known. */
export function timeNow(): Date {
  const k = known();
  const device = Date.now();
  if (device > k.seen + 60_000) keep({ ...k, seen: device });
  return new Date(device + k.offset);
}

/** What is wrong with the clock of this device; empty when nothing is. */
function wrong(): string {
  const { offset, seen } = known();
  if (Date.now() < seen - 60_000)
    return "The clock of this device was set back. Times are taken from it until the server answers again: check them.";
  if (Math.abs(offset) < worthSaying) return "";
  const minutes = Math.round(Math.abs(offset) / 60_000);
  const far = minutes < 120 ? `${minutes} minutes` : `${Math.round(minutes / 60)} hours`;
  return `The clock of this device is ${far} ${offset > 0 ? "slow" : "fast"}. Entries are recorded with the time of the server.`;
}

export const useClockWarning = (): string => clock.useOf(wrong);
