import { useQuery } from "@tanstack/react-query";
import { useCallback, useEffect, useMemo, useState } from "react";
import { Link as RouterLink, useNavigate, useSearchParams } from "react-router";
import { Frame } from "../frame/Frame";
import { Failed, Waiting } from "../frame/State";
import type { Key } from "../frame/keys";
import { currentLines, dropUnsent, keepUnsent, useUnsent } from "../frame/outbox";
import { usePerson } from "../people/session";
import { verdictWords } from "../words/names";
import { UnitSheet } from "./UnitSheet";
import { changeRound, newId, waitingOf } from "./answers";
import { keepsRoom, takeAgain, useOpenWalk } from "./taken";
import type { RoundState, Stop, Taken, WalkUnit } from "./types";
import { timeNow } from "../frame/clock";
import { useUntilDone } from "../frame/untilDone";
import { reportRounds } from "./report";
import { openWalk, previewOf, startCore } from "./core";

/** The walk: one unit after the other. */
export function WalkPage() {
  const person = usePerson();
  const navigate = useNavigate();
  const [params, setParams] = useSearchParams();
  const { open, pending, error, reread } = useOpenWalk(person.email);
  const [listed, setListed] = useState(false);
  useEffect(startCore, []);
  const round = open?.round;
  const units = open?.taken.walk.units;
  const wanted = params.get("unit");
  const at = useMemo(() => {
    if (!round || !units) return -1;
    const named = wanted ? units.findIndex((u) => u.unit.code === wanted) : -1;
    if (named >= 0) return named;
    return Math.max(
      0,
      units.findIndex((u) => round.stops.find((s) => s.unit === u.unit.code)?.state === "waiting"),
    );
  }, [round, units, wanted]);
  const go = useCallback(
    (code: string) => {
      setListed(false);
      setParams({ unit: code }, { replace: true });
      window.scrollTo(0, 0);
    },
    [setParams],
  );
  const keys = useMemo<Key[]>(
    () =>
      units && at >= 0
        ? [
            {
              key: "ArrowRight",
              does: "next unit",
              run: () => go(units[Math.min(units.length - 1, at + 1)]?.unit.code ?? ""),
            },
            { key: "ArrowLeft", does: "unit before", run: () => go(units[Math.max(0, at - 1)]?.unit.code ?? "") },
          ]
        : [],
    [units, at, go],
  );
  useReport(person.email, round);
  if (pending) return <Waiting what="the walk" />;
  if (error) return <Failed error={error} again={() => void reread()} />;
  if (!open || !round || !units)
    return (
      <Frame title="Round" head="no walk on this device" here="round">
        <p>
          No walk lies on this device. <RouterLink to="/round">Choose one.</RouterLink>
        </p>
      </Frame>
    );
  const unit = units[at];
  if (!unit) return null;
  const stop = round.stops.find((s) => s.unit === unit.unit.code);
  function done(after: RoundState | undefined) {
    void reread();
    if (!after || !units) return;
    const rest = [...units.slice(at + 1), ...units.slice(0, at)];
    const next = rest.find((u) => after.stops.find((s) => s.unit === u.unit.code)?.state === "waiting");
    if (next) go(next.unit.code);
    else void navigate("/round/close");
  }
  return (
    <Frame title="Round" head={round.title} here="round" keys={keys}>
      <div className="walk-head no-print">
        <button
          type="button"
          className="act"
          onClick={() => go(units[Math.max(0, at - 1)]?.unit.code ?? "")}
          disabled={at === 0}
          aria-label="unit before"
        >
          ‹
        </button>
        <button type="button" className="act" aria-expanded={listed} onClick={() => setListed(!listed)}>
          {at + 1} of {units.length}
        </button>
        <button
          type="button"
          className="act"
          onClick={() => go(units[Math.min(units.length - 1, at + 1)]?.unit.code ?? "")}
          disabled={at === units.length - 1}
          aria-label="next unit"
        >
          ›
        </button>
        <Line person={person.email} />
        <RouterLink className="act end" to="/round/close">
          close
        </RouterLink>
      </div>
      {listed && (
        <ol className="walk-list">
          {units.map((u) => {
            const s = round.stops.find((one) => one.unit === u.unit.code);
            return (
              <li key={u.unit.code}>
                <button
                  type="button"
                  className="choice with-lead"
                  onClick={() => go(u.unit.code)}
                  aria-current={u === unit ? "true" : undefined}
                >
                  <span>
                    <b className="figures">{u.unit.code}</b> {u.place}
                  </span>
                  <small>
                    {s?.state === "done"
                      ? "done"
                      : s?.state === "skipped"
                        ? `skipped: ${s.why ?? ""}`
                        : (u.view.circuits[0]?.owed[0]?.text ?? verdictWords[u.view.verdict])}
                  </small>
                </button>
              </li>
            );
          })}
        </ol>
      )}
      {stop && stop.state !== "waiting" && (
        <Visited
          key={unit.unit.code}
          person={person.email}
          round={round}
          stop={stop}
          unit={unit}
          taken={open.taken}
          onChange={() => void reread()}
        />
      )}
      <UnitSheet
        key={unit.unit.code + (stop?.at ?? "")}
        taken={open.taken}
        round={round}
        unit={unit}
        place={`${at + 1} of ${units.length}`}
        onDone={done}
      />
      <Refresh open={open} onDone={() => void reread()} />
    </Frame>
  );
}

/** Reports how far the round is, now and when a connection comes back. */
export function useReport(person: string, round: RoundState | undefined) {
  const revision = round?.revision;
  const report = useCallback(
    async () => (revision === undefined ? false : await reportRounds(person)),
    [person, revision],
  );
  useUntilDone(report, 15_000);
}

/** Whether there is a connection, and what waits. */
function Line({ person }: { person: string }) {
  const waiting = useUnsent(person).filter((l) => l.state === "waiting").length;
  const [online, setOnline] = useState(() => navigator.onLine);
  const [kept, setKept] = useState(true);
  useEffect(() => {
    const now = () => setOnline(navigator.onLine);
    window.addEventListener("online", now);
    window.addEventListener("offline", now);
    void keepsRoom().then(setKept);
    return () => {
      window.removeEventListener("online", now);
      window.removeEventListener("offline", now);
    };
  }, []);
  return (
    <span className="signal" role="status">
      {online ? "" : "no signal"}
      {waiting > 0 && `${online ? "" : " · "}${waiting} ${waiting === 1 ? "line" : "lines"} waiting`}
      {waiting > 0 && !kept && " · send soon: this browser may clear what it keeps"}
    </span>
  );
}

/** What became of a unit that was visited already, and the way back. */
function Visited(p: {
  person: string;
  round: RoundState;
  stop: Stop;
  unit: WalkUnit;
  taken: Taken;
  onChange: () => void;
}) {
  const { stop } = p;
  const lines = useUnsent(p.person);
  const made = stop.made ?? [];
  const waits = made.every((m) => lines.some((l) => l.id === m.id));
  // Asked before it is offered: all of its strikes are permitted, one after the other, or none is made.
  const asked = useQuery({
    queryKey: ["undo", p.round.id, stop.unit, made.map((m) => m.id).join(), lines.map((l) => l.id).join()],
    queryFn: () =>
      refusedUndo(
        p.person,
        p.unit,
        p.taken,
        made.filter((m) => !lines.some((l) => l.id === m.id)),
      ),
    enabled: stop.state === "done",
    networkMode: "always",
    staleTime: 0,
  });
  async function undo() {
    const dropped = await dropUnsent(...made.map((m) => m.id));
    const struck = made.filter((m) => !dropped.includes(m.id));
    if (struck.length > 0) {
      // They are in the books: each is struck by a line of its own, all in one act.
      const act = newId();
      await keepUnsent(
        ...struck.map((m) => ({
          person: p.person,
          unit: m.unit,
          account: m.account,
          entry: {
            id: newId(),
            kind: "strike" as const,
            at: timeNow().toISOString(),
            round: p.round.id,
            strike: { entry: m.id, why: "undone on the round" },
          },
          what: "strike of a line of the round",
          round: p.round.id,
          code: stop.unit,
          act,
        })),
      );
    }
    await changeRound(p.round.id, (r) => ({
      ...r,
      stops: r.stops.map((s) => (s.unit === stop.unit ? { unit: s.unit, state: "waiting" as const } : s)),
    }));
    p.onChange();
  }
  return (
    <div className="visited">
      <p>
        <b>{stop.state === "done" ? "Done" : `Skipped: ${stop.why ?? ""}`}.</b> {(stop.recorded ?? []).join(" · ")}
        {stop.verdict && ` → ${verdictWords[stop.verdict]}`}
      </p>
      {stop.state === "done" && asked.data ? (
        <p className="notice">It cannot be undone here: {asked.data}</p>
      ) : (
        <button
          type="button"
          className="choice"
          disabled={stop.state === "done" && asked.isPending}
          onClick={() => void undo()}
        >
          {stop.state === "done" ? (waits ? "undo" : "undo: strike its lines") : "visit it after all"}
        </button>
      )}
    </div>
  );
}

/** Why the strikes of some lines would not be accepted, by the rules of the books; empty when all would. */
async function refusedUndo(person: string, unit: WalkUnit, taken: Taken, struck: NonNullable<Stop["made"]>) {
  await openWalk(taken.walk.shared);
  const before = waitingOf(
    currentLines(person),
    unit.accounts.map((a) => a.code),
  );
  for (const m of struck) {
    const entry = {
      id: newId(),
      kind: "strike" as const,
      at: timeNow().toISOString(),
      strike: { entry: m.id, why: "undone on the round" },
    };
    const preview = await previewOf(unit.pack, before, timeNow(), m.unit, entry);
    const refused = preview.refused?.filter((f) => !f.question) ?? [];
    if (refused.length > 0)
      return refused.map((f) => `${f.detail}${f.accepted ? `; accepted: ${f.accepted}` : ""}`).join("; ");
    before.push({ address: m.unit, entry, recordedAt: timeNow().toISOString() });
  }
  return "";
}

/** Loads the units anew as the books have them now. */
function Refresh({ open, onDone }: { open: Parameters<typeof takeAgain>[0]; onDone: () => void }) {
  const [said, setSaid] = useState("");
  return (
    <p className="faint refresh no-print">
      Loaded {open.taken.takenAt.slice(0, 16).replace("T", " ")} UTC.{" "}
      <button
        type="button"
        className="act small"
        onClick={() => {
          setSaid("loading …");
          takeAgain(open).then(
            () => {
              setSaid("");
              onDone();
            },
            (e: unknown) => setSaid(e instanceof Error ? e.message : String(e)),
          );
        }}
      >
        load it again
      </button>{" "}
      {said}
    </p>
  );
}
