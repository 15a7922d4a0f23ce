import { api } from "../api/client";
import { device } from "../frame/device";
import { forgetJobs } from "../frame/jobEvents";
import { forgetWalks } from "../round/taken";
import { dropDrafts } from "../account/kept";

/** A sign-out that the server has not heard of: "here", or "everywhere". */
const owedKey = "diligent.signing-out";

export type Leaving = "here" | "everywhere";

/** Removes what lies on the device of a person and is not needed any more: all but the lines that are not sent, which are theirs. */
export async function forgetDevice(person: string) {
  dropDrafts(person);
  await forgetWalks(person);
  await forgetJobs(person);
  const db = await device();
  for (const l of await db.getAll("queue"))
    if (l.person === person && l.state === "written") await db.delete("queue", l.id);
  for (const r of await db.getAll("rounds")) {
    if (r.person !== person || r.reported < r.revision) continue; // it is still to be reported
    for (const key of await db.getAllKeys("answers")) if (key.startsWith(`${r.id}/`)) await db.delete("answers", key);
    await db.delete("rounds", r.id);
  }
}

/** Signs out on this device at once; the server hears of it when there is a connection, before anything else is asked. */
export function oweSignOut(leaving: Leaving) {
  localStorage.setItem(owedKey, leaving);
}

export const signOutOwed = (): Leaving | undefined => {
  const owed = localStorage.getItem(owedKey);
  return owed === "here" || owed === "everywhere" ? owed : undefined;
};

/** Ends the session that was left without a connection; the error when there is still none. */
export async function paySignOut() {
  const owed = signOutOwed();
  if (!owed) return;
  await api.signOut(owed === "everywhere");
  localStorage.removeItem(owedKey);
}

/** What a sign-in takes the place of. */
export const dropOwedSignOut = () => localStorage.removeItem(owedKey);
