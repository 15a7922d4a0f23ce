import { useQueryClient } from "@tanstack/react-query";
import { useCallback, useEffect, useState } from "react";
import { useLocation, useNavigate } from "react-router";
import type { EntryInput } from "../api/client";
import { type KeptDraft, keepDraft } from "../account/kept";
import { usePerson } from "../people/session";
import { useClockWarning } from "./clock";
import type { Line } from "./device";
import { dropEvent, sendEvents, useJobLines } from "./jobEvents";
import { confirmUnsent, dropUnsent, sendUnsent, useUnsent } from "./outbox";
import { useUntilDone } from "./untilDone";
import { dropPhoto, sendPhotos, usePhotos } from "./photos";
import { reportRounds } from "../round/report";

/** How often it is tried again while something waits, ms (judgement). */
const tryEvery = 4_000;
/** How many lines that wait are named; of more there is a count. */
const named = 4;

/** Entries that wait on this device, in the head of every page. */
export function UnsentLines() {
  const person = usePerson().email;
  const unsent = useUnsent(person);
  const waiting = unsent.filter((u) => u.state === "waiting");
  const photos = usePhotos(person);
  const waitingPhotos = photos.filter((p) => p.why === undefined).length;
  // On the page of its job a step is shown there.
  const here = useLocation().pathname;
  const steps = useJobLines(person).filter((l) => here !== `/job/${l.job}`);
  const waitingSteps = steps.filter((l) => l.why === undefined).length;
  const queries = useQueryClient();
  const [sent, setSent] = useState("");
  const send = useCallback(async () => {
    const units = await sendUnsent(person).catch(() => []);
    await sendPhotos(person).catch(() => undefined);
    await sendEvents(person).catch(() => undefined);
    if (units.length === 0) return;
    setSent(units.length === 1 ? `Recorded on ${units[0] ?? ""}.` : `Entries recorded on ${units.length} units.`);
    await queries.invalidateQueries({ predicate: (q) => q.queryKey[0] !== "session" });
  }, [person, queries, setSent]);
  const some = waiting.length > 0;
  const something = some || waitingPhotos > 0 || waitingSteps > 0;
  useEffect(() => {
    if (!something) return undefined;
    const now = () => void send();
    now();
    const timer = setInterval(now, tryEvery);
    window.addEventListener("online", now);
    return () => {
      clearInterval(timer);
      window.removeEventListener("online", now);
    };
  }, [something, send]);
  // A round that was closed without a connection is reported from any page.
  const report = useCallback(() => reportRounds(person), [person]);
  useUntilDone(report, 30_000);
  const clock = useClockWarning();
  if (unsent.length === 0 && photos.length === 0 && steps.length === 0 && !sent && !clock) return null;
  return (
    <div className="unsent no-print" role="status">
      {clock && <p className="alarm">{clock}</p>}
      {some && (
        <p>
          <b>Not sent, kept on this device:</b>{" "}
          {waiting
            .slice(0, named)
            .map((u) => `${u.unit} ${u.what}`)
            .join(", ")}
          {waiting.length > named && ` and ${waiting.length - named} more`}. <Age lines={waiting} /> Sent when the
          server answers.{" "}
          <button type="button" className="act small" onClick={() => void send()}>
            send now
          </button>
        </p>
      )}
      {waitingSteps > 0 && (
        <p>
          <b>Not sent, kept on this device:</b> {waitingSteps} {waitingSteps === 1 ? "step" : "steps"} of{" "}
          {[...new Set(steps.map((l) => `the job on ${l.unit}`))].join(", ")}.
        </p>
      )}
      {steps.map(
        (l) =>
          l.why !== undefined && (
            <p key={l.id} className="alarm">
              <b>
                Not recorded: {l.unit} {l.what}.
              </b>{" "}
              {l.why}{" "}
              <button type="button" className="act small" onClick={() => void dropEvent(l.id)}>
                discard it
              </button>
            </p>
          ),
      )}
      {waitingPhotos > 0 && (
        <p>
          {waitingPhotos} {waitingPhotos === 1 ? "photo waits" : "photos wait"} on this device.
        </p>
      )}
      {photos.map(
        (p) =>
          p.why !== undefined && (
            <p key={p.sha256} className="alarm">
              <b>A photo was not taken:</b> {p.why}{" "}
              <button type="button" className="act small" onClick={() => void dropPhoto(p.sha256)}>
                discard it
              </button>
            </p>
          ),
      )}
      {unsent.map((u) => u.state === "refused" && <Refused key={u.id} line={u} person={person} />)}
      {unsent.length === 0 && sent && (
        <p>
          {sent}{" "}
          <button type="button" className="act small" onClick={() => setSent("")}>
            close
          </button>
        </p>
      )}
    </div>
  );
}

/** How long the oldest line has waited. */
export function Age({ lines }: { lines: readonly Line[] }) {
  const [now, setNow] = useState(() => Date.now());
  useEffect(() => {
    const timer = setInterval(() => setNow(Date.now()), 15_000);
    return () => clearInterval(timer);
  }, []);
  const oldest = Math.min(...lines.map((l) => Date.parse(l.recordedAt)));
  if (!Number.isFinite(oldest)) return null;
  const minutes = Math.max(0, Math.floor((now - oldest) / 60_000));
  const age = minutes < 1 ? "under a minute" : minutes < 120 ? `${minutes} min` : `${Math.floor(minutes / 60)} h`;
  return <span className="figures">Oldest: {age}.</span>;
}

/** One that the server refused: it is opened again, confirmed, or discarded. */
function Refused({ line: u, person }: { line: Line; person: string }) {
  const [sure, setSure] = useState(false);
  const navigate = useNavigate();
  const asked = (u.fields?.length ?? 0) > 0 && u.fields?.every((f) => f.question);
  /** The form of the entry with what was recorded, to be put right. */
  async function openAgain() {
    const draft = u.draft ?? (await draftOf(u));
    keepDraft(person, u.unit, draft);
    await dropUnsent(u.id);
    await navigate(`/units/${encodeURIComponent(u.unit)}?${draft.form}`);
  }
  return (
    <p className="alarm">
      <b>
        Not recorded: {u.unit} {u.what}.
      </b>{" "}
      {u.why}{" "}
      {asked && (
        <button type="button" className="act small" onClick={() => void confirmUnsent(u)}>
          yes, record it
        </button>
      )}
      <button type="button" className="act small" onClick={() => void openAgain()}>
        open it again
      </button>{" "}
      <button type="button" className="act small" onClick={() => (sure ? void dropUnsent(u.id) : setSure(true))}>
        {sure ? `discard ${u.what} of ${u.unit}` : "discard"}
      </button>
    </p>
  );
}

/** A line of a round as a form has it. */
async function draftOf(u: Line): Promise<KeptDraft> {
  const { bodyName, valuesFrom } = await import("../account/draft");
  const entry = JSON.parse(u.text) as EntryInput;
  const values = valuesFrom(entry[bodyName(entry.kind)] ?? {});
  const photo = entry.attachments?.[0];
  return {
    kind: entry.kind,
    form: `write=${entry.kind}`,
    draft: { kind: entry.kind, when: entry.at, values: photo ? { ...values, attachments: photo } : values, why: "" },
    changed: u.recordedAt,
  };
}
