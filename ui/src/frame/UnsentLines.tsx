import { useQueryClient } from "@tanstack/react-query";
import { useCallback, useEffect, useState } from "react";
import { Link as RouterLink } from "react-router";
import { keepDraft } from "../account/kept";
import { usePerson } from "../people/session";
import { type Unsent, dropUnsent, sendUnsent, useUnsent } from "./outbox";

/** How often it is tried again while something waits, ms (judgement). */
const tryEvery = 4_000;

/** Entries that wait on this device, in the head of every page. */
export function UnsentLines() {
  const person = usePerson().email;
  const unsent = useUnsent(person);
  const waiting = unsent.filter((u) => u.refused === undefined);
  const queries = useQueryClient();
  const [sent, setSent] = useState("");
  const send = useCallback(async () => {
    const units = await sendUnsent(person);
    if (units.length === 0) return;
    setSent(units.length === 1 ? `Recorded on ${units[0] ?? ""}.` : `${units.length} entries recorded.`);
    await queries.invalidateQueries({ predicate: (q) => q.queryKey[0] !== "session" });
  }, [person, queries, setSent]);
  const some = waiting.length > 0;
  useEffect(() => {
    if (!some) return undefined;
    const now = () => void send();
    now();
    const timer = setInterval(now, tryEvery);
    window.addEventListener("online", now);
    return () => {
      clearInterval(timer);
      window.removeEventListener("online", now);
    };
  }, [some, send]);
  if (unsent.length === 0 && !sent) return null;
  return (
    <div className="unsent no-print" role="status">
      {some && (
        <p>
          <b>Not sent, kept on this device:</b> {waiting.map((u) => `${u.unit} ${u.what}`).join(", ")}. Sent when the
          server answers.{" "}
          <button type="button" className="act small" onClick={() => void send()}>
            send now
          </button>
        </p>
      )}
      {unsent.map((u) => u.refused !== undefined && <Refused key={u.entry.id} unsent={u} person={person} />)}
      {unsent.length === 0 && (
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

/** One that the server refused: it is opened again, or discarded. */
function Refused({ unsent: u, person }: { unsent: Unsent; person: string }) {
  const [sure, setSure] = useState(false);
  return (
    <p className="alarm">
      <b>
        Not recorded: {u.unit} {u.what}.
      </b>{" "}
      {u.refused}{" "}
      <RouterLink
        className="act small"
        to={`/units/${encodeURIComponent(u.unit)}?${u.draft.form}`}
        onClick={() => {
          keepDraft(person, u.unit, u.draft);
          dropUnsent(u.entry.id);
        }}
      >
        open it again
      </RouterLink>{" "}
      <button type="button" className="act small" onClick={() => (sure ? dropUnsent(u.entry.id) : setSure(true))}>
        {sure ? `discard ${u.what} of ${u.unit}` : "discard"}
      </button>
    </p>
  );
}
