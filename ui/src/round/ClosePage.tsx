import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Link as RouterLink, useNavigate } from "react-router";
import { Frame } from "../frame/Frame";
import { Waiting } from "../frame/State";
import { useUnsent } from "../frame/outbox";
import { Vial } from "../marks/Vial";
import { usePerson } from "../people/session";
import { verdictWords } from "../words/names";
import { changeRound, unrecorded } from "./answers";
import { reportRounds } from "./report";
import { useOpenWalk } from "./taken";
import type { Stop } from "./types";
import { timeNow } from "../frame/clock";

/** Close of a round: what was found, now on hold, due, skipped and why. */
export function ClosePage() {
  const person = usePerson();
  const navigate = useNavigate();
  const { open, pending } = useOpenWalk(person.email);
  const waiting = useUnsent(person.email).filter((l) => l.state === "waiting");
  const [busy, setBusy] = useState(false);
  const id = open?.round.id;
  const drafts = useQuery({
    queryKey: ["unrecorded", id],
    queryFn: () => unrecorded(id ?? ""),
    enabled: id !== undefined,
    networkMode: "always",
    staleTime: 0,
    gcTime: 0,
  });
  const left = drafts.data ?? [];
  if (pending || (id !== undefined && drafts.isPending)) return <Waiting what="the round" />;
  if (!open)
    return (
      <Frame title="Round" head="closed" here="round">
        <p>
          No round is under way on this device. <RouterLink to="/round">Begin one.</RouterLink>
        </p>
      </Frame>
    );
  const { round } = open;
  const of = (take: (s: Stop) => boolean) => round.stops.filter(take);
  const done = of((s) => s.state === "done");
  const groups: [string, readonly Stop[]][] = [
    ["Must not move", done.filter((s) => s.verdict === "hold")],
    ["Due or overdue", done.filter((s) => s.verdict === "overdue" || s.verdict === "due")],
    ["Not known", done.filter((s) => s.verdict === "unknown" || s.verdict === undefined)],
    ["To be watched, or sound", done.filter((s) => s.verdict === "watch" || s.verdict === "sound")],
    ["Skipped", of((s) => s.state === "skipped")],
  ];
  async function close() {
    setBusy(true);
    await changeRound(round.id, (r) => ({ ...r, closedAt: timeNow().toISOString() }));
    await reportRounds(person.email).catch(() => undefined);
    await navigate("/round");
  }
  return (
    <Frame title="Round" head={`${round.title}: close`} here="round">
      <p>
        {done.length} of {round.stops.length} done
        {waiting.length > 0 &&
          `; ${waiting.length} ${waiting.length === 1 ? "line waits" : "lines wait"} on this device and will be sent`}
        .
      </p>
      {left.length > 0 && (
        <p className="notice" role="alert">
          <b>Answered and not recorded:</b>{" "}
          {left.map((u) => (
            <RouterLink key={u} className="link figures" to={`/round/walk?unit=${encodeURIComponent(u)}`} data-line>
              {u}{" "}
            </RouterLink>
          ))}
          Record or discard the answers, then close the round.
        </p>
      )}
      {groups.map(
        ([name, stops]) =>
          stops.length > 0 && (
            <section key={name} className="section">
              <h2 className="heading">
                {name} <span className="figures">{stops.length}</span>
              </h2>
              <ul className="close-lines">
                {stops.map((s) => (
                  <li key={s.unit}>
                    {s.verdict && <Vial verdict={s.verdict} left={s.left} />}
                    <RouterLink
                      className="link figures"
                      to={`/round/walk?unit=${encodeURIComponent(s.unit)}`}
                      data-line
                    >
                      {s.unit}
                    </RouterLink>
                    <span>
                      {s.verdict && <b>{verdictWords[s.verdict]}: </b>}
                      {s.state === "skipped" ? s.why : s.state === "done" ? s.reason : "not visited"}
                      {s.recorded && s.recorded.length > 0 && <small>{s.recorded.join(" · ")}</small>}
                    </span>
                  </li>
                ))}
              </ul>
            </section>
          ),
      )}
      <NotVisited stops={of((s) => s.state === "waiting" && !left.includes(s.unit))} />
      <p className="buttons-row">
        <button type="button" className="choice go" disabled={busy || left.length > 0} onClick={() => void close()}>
          {busy ? "closing …" : "close the round"}
        </button>
        <RouterLink className="choice" to="/round/walk">
          back to the walk
        </RouterLink>
      </p>
    </Frame>
  );
}

/** Units that were not visited, their numbers alone. */
function NotVisited({ stops }: { stops: readonly Stop[] }) {
  if (stops.length === 0) return null;
  return (
    <section className="section">
      <h2 className="heading">
        Not visited <span className="figures">{stops.length}</span>
      </h2>
      <p className="not-visited">
        {stops.map((s) => (
          <RouterLink
            key={s.unit}
            className="link figures"
            to={`/round/walk?unit=${encodeURIComponent(s.unit)}`}
            data-line
          >
            {s.unit}
          </RouterLink>
        ))}
      </p>
    </section>
  );
}
