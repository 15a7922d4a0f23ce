import { v7 as uuidv7 } from "uuid";
import { bodyName } from "../account/draft";
import type { EntryInput, EntryKind } from "../api/client";
import { timeNow } from "../frame/clock";
import { device } from "../frame/device";
import type { Line } from "../frame/device";
import type { Answer, Answers, RoundState, Tool, WaitingEntry, WalkCircuit } from "./types";
import { typedNumbers } from "../words/figures";

export const newId = () => uuidv7();

/** The answers at a unit of a round so far. */
export async function answersOf(round: string, unit: string): Promise<Answers> {
  return (await (await device()).get("answers", `${round}/${unit}`)) ?? { given: {} };
}

export async function keepAnswers(round: string, unit: string, answers: Answers) {
  await (await device()).put("answers", answers, `${round}/${unit}`);
}

/** Units of a round with answers that are not recorded. */
export async function unrecorded(round: string): Promise<string[]> {
  const db = await device();
  const units: string[] = [];
  for (const key of await db.getAllKeys("answers")) {
    const answers = key.startsWith(`${round}/`) ? await db.get("answers", key) : undefined;
    if (answers && Object.keys(answers.given).length > 0) units.push(key.slice(round.length + 1));
  }
  return units;
}

export async function dropAnswers(round: string, unit: string) {
  await (await device()).delete("answers", `${round}/${unit}`);
}

/** An answer with its id and time, which are made once; changing it keeps them. */
export function answered(
  before: Answer | undefined,
  kind: EntryKind,
  body: Answer["body"],
  photos?: readonly string[],
): Answer {
  return {
    id: before?.id ?? newId(),
    at: before?.at ?? timeNow().toISOString(),
    kind,
    body,
    photos: photos ?? before?.photos,
  };
}

/** The entry of an answer, as it is sent. */
export function entryOf(a: Answer, round: string, device: string): EntryInput {
  return {
    id: a.id,
    kind: a.kind,
    at: a.at,
    round,
    device,
    ...typedNumbers(),
    ...(a.confirmed ? { confirmed: true } : {}),
    ...(a.photos && a.photos.length > 0 ? { attachments: [...a.photos] } : {}),
    [bodyName(a.kind)]: a.body,
  };
}

/** What waits on the device for the accounts of a unit, as the core reads it. */
export const waitingOf = (lines: readonly Line[], addresses: readonly string[]): WaitingEntry[] =>
  lines
    .filter((l) => l.state !== "refused" && addresses.includes(l.unit))
    .map((l) => ({ address: l.unit, entry: JSON.parse(l.text) as unknown, recordedAt: l.recordedAt }));

/** Zero checks that wait count for the instrument on every unit. */
export const zeroChecks = (lines: readonly Line[], addresses: readonly string[]): WaitingEntry[] =>
  lines
    .filter((l) => l.state !== "refused" && !addresses.includes(l.unit) && l.text.includes('"zero"'))
    .map((l) => ({ address: l.unit, entry: JSON.parse(l.text) as unknown, recordedAt: l.recordedAt }));

/** The key of an answer among those of a unit. */
export const keyOf = (address: string, question: string) => `${address}\n${question}`;

export const questionOf = (key: string): { address: string; question: string } => {
  const [address = "", question = ""] = key.split("\n");
  return { address, question };
};

/** The body of a freeze test with the instrument in hand; value as it was read or typed. */
export function freezeBody(tool: Tool, value: number | string, unit: string, more: Record<string, unknown> = {}) {
  const kind = tool.kind === "digital" ? "refractometer" : tool.kind;
  return {
    instrument: kind,
    value: { value, unit },
    ...(tool.name ? { tool: tool.name } : {}),
    ...(tool.kind === "discs" ? { chart: tool.chart ?? [] } : {}),
    ...(kind === "refractometer" && tool.zero !== undefined && tool.zero.trim() !== "" ? { zero: tool.zero } : {}),
    ...more,
  };
}

/** The scale of a refractometer to read: that of what is inside, when the instrument has it. */
export function scaleFor(
  tool: Tool,
  circuit: Pick<WalkCircuit, "base">,
): { scale: "EG" | "PG"; scales: ("EG" | "PG")[] } {
  const scales: ("EG" | "PG")[] = tool.scale === "EG" ? ["EG"] : tool.scale === "PG" ? ["PG"] : ["EG", "PG"];
  const inside = circuit.base === "PG" ? "PG" : "EG";
  return { scale: scales.includes(inside) ? inside : (scales[0] ?? "EG"), scales };
}

export async function roundOf(id: string): Promise<RoundState | undefined> {
  return (await device()).get("rounds", id);
}

/** Keeps a round with what was changed, one revision on. */
export async function changeRound(id: string, change: (r: RoundState) => RoundState): Promise<RoundState | undefined> {
  const db = await device();
  const tx = db.transaction("rounds", "readwrite");
  const before = await tx.store.get(id);
  if (!before) return undefined;
  const after = { ...change(before), revision: before.revision + 1 };
  await tx.store.put(after);
  await tx.done;
  return after;
}

/** The name of this device in what it records: its kind of browser, no more. */
export function deviceName(): string {
  const agent = navigator.userAgent;
  const kind = /Android|iPhone|Mobile/.test(agent) ? "phone" : /iPad|Tablet/.test(agent) ? "tablet" : "computer";
  const system =
    /Android/.exec(agent)?.[0] ?? /iPhone|iPad/.exec(agent)?.[0] ?? /Windows|Mac OS|Linux/.exec(agent)?.[0] ?? "";
  return [kind, system].filter(Boolean).join(", ");
}

/** The fields of a cap as it was looked at; a cap with two stages is turned to one of them. */
export function capBody(state: "home" | "off" | "seal", twoStages: boolean): Record<string, unknown> {
  switch (state) {
    case "home":
      return { seated: true, seal: "good", ...(twoStages ? { stage: "home" } : {}) };
    case "off":
      return twoStages ? { seated: true, stage: "first_stage" } : { seated: false };
    case "seal":
      return { seal: "cracked" };
  }
}
