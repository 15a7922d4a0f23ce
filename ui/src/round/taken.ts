import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useCallback } from "react";
import { api } from "../api/client";
import { serverSaid, timeNow } from "../frame/clock";
import { device } from "../frame/device";
import { openQueue } from "../frame/outbox";
import { changeRound, newId, unrecorded } from "./answers";
import type { RoundState, Taken, Tool } from "./types";

/** The walk that lies open on this device, with its round; null when there is none of this person. */
export interface Open {
  readonly taken: Taken;
  readonly round: RoundState;
}

async function readOpen(person: string): Promise<Open | null> {
  await openQueue();
  const db = await device();
  const taken = await db.get("walk", person);
  if (!taken) return null;
  const round = await db.get("rounds", taken.round);
  return round && round.closedAt === undefined ? { taken, round } : null;
}

export function useOpenWalk(person: string) {
  const queries = useQueryClient();
  const query = useQuery({
    queryKey: ["open-walk", person],
    queryFn: () => readOpen(person),
    networkMode: "always",
    staleTime: 0,
    gcTime: 0,
  });
  const reread = useCallback(() => queries.invalidateQueries({ queryKey: ["open-walk", person] }), [queries, person]);
  return { open: query.data, pending: query.isPending, error: query.error, reread };
}

/** Loads a walk onto the device and begins a round of it. */
export async function takeWalk(
  person: string,
  query: Taken["query"],
  tool: Tool | undefined,
  known: Pick<Taken, "instruments" | "probe">,
): Promise<Open> {
  const db = await device();
  const before = await db.get("walk", person);
  const left = before ? await unrecorded(before.round) : [];
  if (left.length > 0)
    throw new Error(
      `The round under way has answers that are not recorded, at ${left.join(", ")}: record or discard them first.`,
    );
  const asked = Date.now();
  const walk = await api.walk(query);
  serverSaid(walk.now, asked, Date.now());
  const at = timeNow().toISOString();
  const round: RoundState = {
    id: newId(),
    person,
    title: walk.title,
    startedAt: at,
    revision: 1,
    reported: 0,
    tool,
    stops: walk.units.map((u) => ({ unit: u.unit.code, state: "waiting" })),
  };
  const taken: Taken = { person, query, takenAt: at, walk, round: round.id, ...known };
  // One round is under way at a time: the one before is closed as it is.
  if (before) await changeRound(before.round, (r) => ({ ...r, closedAt: r.closedAt ?? at }));
  const tx = db.transaction(["walk", "rounds"], "readwrite");
  await Promise.all([tx.objectStore("walk").put(taken, person), tx.objectStore("rounds").put(round), tx.done]);
  await askForRoom();
  return { taken, round };
}

/** Loads the units of an open walk anew, as the books have them now; its round goes on. */
export async function takeAgain(open: Open): Promise<void> {
  const asked = Date.now();
  const walk = await api.walk(open.taken.query);
  serverSaid(walk.now, asked, Date.now());
  const db = await device();
  await db.put("walk", { ...open.taken, walk, takenAt: timeNow().toISOString() }, open.taken.person);
}

/** Asks the browser to keep what is on the device when it is short of room. */
async function askForRoom() {
  try {
    await navigator.storage.persist();
  } catch {
    // Not every browser has it; the queue is kept all the same.
  }
}

/** Whether the browser has agreed to keep it. */
export const keepsRoom = async (): Promise<boolean> => {
  try {
    return await navigator.storage.persisted();
  } catch {
    return false;
  }
};

/** Forgets the walks of a person who signs out. What waits to be sent stays. */
export async function forgetWalks(person: string) {
  await (await device()).delete("walk", person);
}

/** Units of the person's open round with answers that are not recorded: signing out would lose them. */
export async function unrecordedOf(person: string): Promise<string[]> {
  const taken = await (await device()).get("walk", person);
  return taken ? unrecorded(taken.round) : [];
}
