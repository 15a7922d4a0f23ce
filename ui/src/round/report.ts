import { Problem, api } from "../api/client";
import { device } from "../frame/device";
import { sendable } from "../frame/outbox";
import type { RoundState } from "./types";
import { deviceName } from "./answers";

/** Reports the rounds of a person that the server has an earlier state of; true when some could not be reported yet. */
export async function reportRounds(person: string): Promise<boolean> {
  const db = await device();
  for (const r of await db.getAll("rounds")) {
    if (r.person !== person || r.reported >= r.revision) continue;
    try {
      await api.reportRound(r.id, {
        title: r.title,
        device: deviceName(),
        startedAt: r.startedAt,
        closedAt: r.closedAt,
        revision: r.revision,
        stops: r.stops.map((s) => ({ unit: s.unit, state: s.state, why: s.why, at: s.at })),
      });
    } catch (error) {
      if (sendable(error) || !(error instanceof Problem)) return true;
      // It is refused as it is; the entries do not depend on it.
    }
    await reported(r);
  }
  return false;
}

async function reported(r: RoundState) {
  const db = await device();
  const tx = db.transaction("rounds", "readwrite");
  const now = await tx.store.get(r.id);
  if (now) await tx.store.put({ ...now, reported: Math.max(now.reported, r.revision) });
  await tx.done;
}
