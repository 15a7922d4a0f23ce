import { device } from "../frame/device";
import { forgetJobs } from "../frame/jobEvents";
import { forgetWalks } from "../round/taken";
import { dropDrafts } from "../account/kept";
import { seal } from "../frame/seal";

/** Removes what lies on the device of a person and is not needed any more, and seals the rest: lines that are not sent are theirs. */
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
  await seal(person);
}
