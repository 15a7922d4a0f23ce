import type { Schemas } from "../api/client";
import type { Answered, Call } from "./core.worker";
import type { Preview, WaitingEntry, WalkView } from "./types";

/** A line of a refractometer's field: its value, and where it is, 0 at the line of water and 1 at the strong end. */
export interface ScaleLine {
  readonly value: number;
  readonly at: number;
}

interface Waiting {
  readonly resolve: (answer: string) => void;
  readonly reject: (error: Error) => void;
}

let worker: Worker | undefined;
const waiting = new Map<number, Waiting>();
let calls = 0;

function started(): Worker {
  if (worker) return worker;
  worker = new Worker(new URL("./core.worker.ts", import.meta.url), { type: "module" });
  worker.onmessage = (event: MessageEvent<Answered>) => {
    const { id, answer, failed } = event.data;
    const w = waiting.get(id);
    waiting.delete(id);
    if (answer === undefined) w?.reject(new Error(failed ?? "the core gave no answer"));
    else w?.resolve(answer);
  };
  worker.onerror = () => {
    const all = [...waiting.values()];
    waiting.clear();
    worker?.terminate();
    worker = undefined;
    all.forEach((w) => w.reject(new Error("the core stopped on this device")));
  };
  return worker;
}

async function call<T>(name: string, ...texts: readonly string[]): Promise<T> {
  const id = ++calls;
  const text = await new Promise<string>((resolve, reject) => {
    waiting.set(id, { resolve, reject });
    started().postMessage({ id, name, texts } satisfies Call);
  });
  const answer = JSON.parse(text) as T & { failed?: string };
  if (typeof answer.failed === "string") throw new Error(answer.failed);
  return answer;
}

/** Begins to fetch and compile the core. */
export const startCore = () => void started();

let shared: { text: string; opened: Promise<unknown> } | undefined;

/** Opens a walk; an error when it is of another version than the core. */
export function openWalk(text: string): Promise<unknown> {
  if (shared?.text !== text) {
    const opened = call("diligentShare", text);
    shared = { text, opened };
    opened.catch(() => (shared = undefined));
  }
  return shared.opened;
}

export const viewOf = (pack: string, queue: readonly WaitingEntry[], now: Date): Promise<WalkView> =>
  call("diligentUnit", pack, JSON.stringify(queue), now.toISOString());

export const previewOf = (
  pack: string,
  queue: readonly WaitingEntry[],
  now: Date,
  address: string,
  entry: unknown,
): Promise<Preview> =>
  call("diligentPreview", pack, JSON.stringify(queue), now.toISOString(), address, JSON.stringify(entry));

export const scaleOf = (kind: "freeze" | "percent" | "brix", base: string): Promise<readonly ScaleLine[]> =>
  call("diligentScale", kind, base);

/** A job as it is with events that wait on this device. */
export const jobView = (pack: string, waiting: readonly unknown[], now: Date): Promise<Schemas["JobView"]> =>
  call("diligentJob", pack, JSON.stringify(waiting), now.toISOString());

/** What was typed at a step, read; or which fields are refused. */
export const readStep = (
  pack: string,
  waiting: readonly unknown[],
  now: Date,
  step: string,
  texts: Readonly<Record<string, string>>,
): Promise<{
  values?: Record<string, Schemas["JobValue"]>;
  refused?: readonly { field: string; text: string }[];
}> => call("diligentJobRead", pack, JSON.stringify(waiting), now.toISOString(), step, JSON.stringify(texts));

/** What the simulated unit of an exercise shows at a step. */
export const simulatedStep = (
  pack: string,
  waiting: readonly unknown[],
  now: Date,
  step: string,
): Promise<{ values: Record<string, Schemas["JobValue"]> }> =>
  call("diligentJobAnswer", pack, JSON.stringify(waiting), now.toISOString(), step);

/** A digital refractometer that is read with one button. A real one would be another of these. */
export interface Probe {
  readonly name: string;
  /** Reads a sample; an error when it gave no reading. */
  read(): Promise<{ celsius: number }>;
}

const seed = String(Math.floor(Math.random() * 2 ** 32));
let readings = 0;

/** The simulated one: it knows what the coolant protects to by the books, and errs as such instruments do. */
export const simulatedProbe = (truth: number): Probe => ({
  name: "simulated digital refractometer",
  read: () => call("diligentProbe", seed, String(++readings), String(truth)),
});
