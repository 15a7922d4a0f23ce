import type { Schemas } from "../api/client";

export type Walk = Schemas["Walk"];
export type WalkUnit = Schemas["WalkUnit"];
export type WalkView = Schemas["WalkView"];
export type WalkCircuit = Schemas["WalkCircuit"];
export type WalkPoint = Schemas["WalkPoint"];
export type Question = Schemas["WalkQuestion"];
export type Instrument = Schemas["WalkInstrument"];

/** A walk as it lies on this device. */
export interface Taken {
  readonly person: string;
  readonly query: { readonly site?: string; readonly row?: string; readonly tag?: string };
  readonly takenAt: string;
  readonly walk: Walk;
  readonly instruments: readonly Instrument[];
  readonly probe: boolean;
  /** Round that walks it. */
  readonly round: string;
}

export type StopState = Schemas["RoundStopState"];

/** A unit of a round with what became of it. */
export interface Stop {
  readonly unit: string;
  readonly state: StopState;
  readonly why?: string;
  readonly at?: string;
  /** What was recorded there, a line each, and what came of it. */
  readonly recorded?: readonly string[];
  readonly verdict?: Schemas["Verdict"];
  readonly reason?: string;
  readonly left?: number;
  /** The entries that were recorded last, each with the address of its account. */
  readonly made?: readonly { readonly id: string; readonly unit: string; readonly account?: number }[];
}

/** A round as this device has it. */
export interface RoundState {
  readonly id: string;
  readonly person: string;
  readonly title: string;
  readonly startedAt: string;
  readonly closedAt?: string;
  readonly revision: number;
  /** Revision that the server has. */
  readonly reported: number;
  readonly stops: readonly Stop[];
  readonly tool?: Tool;
}

export type ToolKind = "refractometer" | "hydrometer" | "discs" | "strip" | "digital";

/** The instrument of the freeze tests of a round. */
export interface Tool {
  /** Empty for one that has no name. */
  readonly name: string;
  readonly kind: ToolKind;
  readonly scale?: string;
  readonly chart?: readonly number[];
  /** What it read on purified water at the start; left out when it was not zeroed then. */
  readonly zero?: string;
}

/** What was answered at a question, as fields of the entry that it becomes. */
export interface Answer {
  /** Id and time of the entry, made once. */
  readonly id: string;
  readonly at: string;
  readonly kind: Schemas["EntryKind"];
  readonly body: Readonly<Record<string, unknown>>;
  readonly confirmed?: boolean;
  readonly photos?: readonly string[];
}

/** The answers at one unit so far, by account and question. */
export interface Answers {
  readonly temper?: "cold" | "hot";
  /** "address question" to its answer. */
  readonly given: Readonly<Record<string, Answer>>;
  /** Everything was looked at, and nothing was found. */
  readonly looked?: boolean;
}

export interface Refused {
  readonly pointer: string;
  readonly detail: string;
  readonly accepted?: string;
  readonly question?: boolean;
}

/** What an entry would do, as package walk has it. */
export interface Preview {
  readonly refused?: readonly Refused[];
  readonly forbidden?: boolean;
  readonly text?: string;
  readonly read?: readonly string[];
  readonly said?: readonly string[];
  readonly verdict?: Schemas["Verdict"];
  readonly before?: Schemas["Verdict"];
  readonly reason?: string;
  readonly left?: number;
  readonly protects?: number;
  /** Status of the whole unit, by all its circuits. */
  readonly unit?: { readonly verdict: Schemas["Verdict"]; readonly reason: string; readonly left?: number };
  readonly mustNotMove?: string;
  readonly held?: boolean;
}

/** An entry that waits on the device, as the core reads it. */
export interface WaitingEntry {
  readonly address: string;
  readonly entry: unknown;
  readonly recordedAt: string;
}
