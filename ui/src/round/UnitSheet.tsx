import { useQuery } from "@tanstack/react-query";
import { type ReactNode, useEffect, useRef, useState } from "react";
import { keepUnsent, useLines } from "../frame/outbox";
import { keepPhoto } from "../frame/photos";
import { Cautions } from "../frame/Cautions";
import { Vial } from "../marks/Vial";
import { usePerson } from "../people/session";
import { kindNames, verdictWords } from "../words/names";
import {
  AppearanceQuestion,
  type Body,
  CapQuestion,
  ChemistryQuestion,
  Choices,
  FreezeQuestion,
  LevelQuestion,
  MeterQuestion,
  type QuestionProps,
  RawWaterQuestion,
} from "./Questions";
import { SystemQuestion, hosesOf, pointsOf } from "./SystemQuestion";
import {
  answered,
  answersOf,
  changeRound,
  deviceName,
  dropAnswers,
  entryOf,
  keepAnswers,
  keyOf,
  questionOf,
  waitingOf,
  zeroChecks,
} from "./answers";
import { openWalk, previewOf, viewOf } from "./core";
import type {
  Answer,
  Answers,
  Preview,
  Question,
  RoundState,
  Taken,
  WaitingEntry,
  WalkCircuit,
  WalkUnit,
} from "./types";
import { timeNow } from "../frame/clock";
import { useSettled } from "../frame/settled";

const kindOf: Readonly<Record<string, Answer["kind"]>> = {
  level: "level_check",
  freeze_test: "freeze_test",
  cap: "cap_test",
  hoses: "hose_check",
  inspection: "inspection",
  meter: "meter",
  appearance: "chemistry_test",
  chemistry: "chemistry_test",
  raw_water: "raw_water",
  note: "note",
  hold: "hold",
  defect: "defect_opened",
};

interface Props {
  taken: Taken;
  round: RoundState;
  unit: WalkUnit;
  /** What is shown in the bar beneath, beside the button that records and goes on. */
  place: string;
  onDone: (after: RoundState | undefined) => void;
}

/** Whether the answers as they are drawn are in the store of the device: "no" while they are written, or why they could not be. */
type Kept = "yes" | "no" | Error;

/** The answers at a unit, kept on the device with each tap. Until kept says "yes", leaving the page would lose the last one. */
function useAnswers(round: string, unit: string) {
  const [answers, setAnswers] = useState<Answers>();
  const [kept, setKept] = useState<Kept>("yes");
  // As they are now, for what follows a tap before it is drawn.
  const latest = useRef<Answers>({ given: {} });
  useEffect(() => {
    let gone = false;
    void answersOf(round, unit).then((a) => {
      if (gone) return;
      latest.current = a;
      setAnswers(a);
    });
    return () => {
      gone = true;
    };
  }, [round, unit]);
  const change = (by: (a: Answers) => Answers) => {
    latest.current = by(latest.current);
    setAnswers(latest.current);
    setKept("no");
    const now = latest.current;
    keepAnswers(round, unit, now).then(
      () => {
        if (latest.current === now) setKept("yes");
      },
      (error: unknown) => setKept(error instanceof Error ? error : new Error(String(error))),
    );
  };
  return { answers, latest, kept, change };
}

/** What the core says of the unit and of each answer, with all that waits on the device. */
function useCore(taken: Taken, unit: WalkUnit, answers: Answers | undefined, round: string) {
  const lines = useLines(taken.person);
  const addresses = unit.accounts.map((a) => a.code);
  const queue = [...waitingOf(lines, addresses), ...zeroChecks(lines, addresses)];
  const waiting = JSON.stringify(queue);
  const settled = useSettled(JSON.stringify(answers?.given ?? {}), 120);
  const view = useQuery({
    queryKey: ["walk-view", taken.takenAt, unit.unit.code, waiting],
    queryFn: async () => {
      await openWalk(taken.walk.shared);
      return viewOf(unit.pack, queue, timeNow());
    },
    networkMode: "always",
    placeholderData: (before) => before,
    retry: false,
  });
  const previews = useQuery({
    queryKey: ["walk-previews", taken.takenAt, unit.unit.code, waiting, settled],
    queryFn: () => previewAll(taken, unit, queue, JSON.parse(settled) as Answers["given"], round),
    enabled: answers !== undefined,
    networkMode: "always",
    placeholderData: (before) => before,
    retry: false,
  });
  return { view, queue, previews: previews.data, failed: previews.error ?? view.error };
}

/** Each answer in the order it was given, with those before it written. */
async function previewAll(
  taken: Taken,
  unit: WalkUnit,
  queue: readonly WaitingEntry[],
  given: Answers["given"],
  round: string,
) {
  await openWalk(taken.walk.shared);
  const all: Record<string, Preview> = {};
  const before = [...queue];
  for (const [key, a] of inOrder(given)) {
    const { address } = questionOf(key);
    const entry = entryOf(a, round, deviceName());
    const p = await previewOf(unit.pack, before, timeNow(), address, entry);
    all[key] = p;
    if (!p.refused) before.push({ address, entry, recordedAt: timeNow().toISOString() });
  }
  return all;
}

/** One unit of a round: what it is owed, the questions that matter, and the verdict as they are answered. */
export function UnitSheet({ taken, round, unit, place, onDone }: Props) {
  const person = usePerson().email;
  const code = unit.unit.code;
  const { answers, latest, kept, change } = useAnswers(round.id, code);
  const core = useCore(taken, unit, answers, round.id);
  const view = core.view.data ?? unit.view;
  const [address, setAddress] = useState(unit.accounts[0]?.code ?? code);
  const circuit = view.circuits.find((c) => c.address === address) ?? view.circuits[0];
  const [more, setMore] = useState(false);
  const [busy, setBusy] = useState(false);
  const [problem, setProblem] = useState("");
  const [skipping, setSkipping] = useState(false);
  const top = useRef<HTMLHeadingElement>(null);
  useEffect(() => top.current?.focus(), [code]);
  if (!answers || !circuit) return null;
  const temper = answers.temper;
  const given = answers.given;
  const answerOf = (question: string) => given[keyOf(address, question)];

  function set(question: string, body: Body | undefined, photos?: readonly string[]) {
    const key = keyOf(address, question);
    change((a) => {
      const others = Object.fromEntries(Object.entries(a.given).filter(([k]) => k !== key));
      if (body === undefined) return { ...a, given: others };
      return { ...a, given: { ...others, [key]: answered(a.given[key], kindOf[question] ?? "note", body, photos) } };
    });
  }
  const confirm = (key: string) =>
    change((a) => {
      const answer = a.given[key];
      return answer ? { ...a, given: { ...a.given, [key]: { ...answer, confirmed: true } } } : a;
    });
  const previewOfKey = (key: string) => core.previews?.[key];
  const keys = Object.keys(given);
  const refused = keys.filter((k) => (previewOfKey(k)?.refused?.length ?? 0) > 0);
  // Each preview has the accepted answers before it written: the last accepted one is of all of them.
  const sum = lastAccepted(given, core.previews);
  const mustNotMove = sum ? sum.mustNotMove : view.mustNotMove;
  const held = sum ? sum.held === true : view.circuits.some((c) => c.held);
  const ask: QuestionProps = {
    view,
    circuit,
    onBody: () => undefined,
    temper: temper ?? "cold",
    tool: round.tool,
    probe: taken.probe,
  };

  async function record() {
    setBusy(true);
    setProblem("");
    try {
      // As it is now, not as it was drawn: a tap may have come since, and what the round reports is of all of them.
      const now = latest.current.given;
      const previews = await previewAll(taken, unit, core.queue, now, round.id).catch(() => undefined);
      if (Object.values(previews ?? {}).some((p) => (p.refused?.length ?? 0) > 0)) {
        setProblem("Not accepted yet: see above.");
        return;
      }
      const made = inOrder(now).map(([key, a]) => ({ key, address: questionOf(key).address, answer: a }));
      const textOf = (key: string) => previews?.[key]?.text;
      await keepUnsent(
        ...made.map(({ address: unitAddress, answer, key }) => ({
          person,
          unit: unitAddress,
          account: unit.accounts.find((x) => x.code === unitAddress)?.id,
          entry: entryOf(answer, round.id, deviceName()),
          what: [kindNames[answer.kind].toLowerCase(), textOf(key)].filter(Boolean).join(" "),
          round: round.id,
          code,
        })),
      );
      // Without the core what came of it is not known, and is not said to be as it was before.
      const status = lastAccepted(now, previews)?.unit;
      const silent = unit.accounts.filter((x) => !made.some((m) => m.address === x.code)).map((x) => x.code);
      const after = await changeRound(round.id, (r) => ({
        ...r,
        stops: r.stops.map((s) =>
          s.unit === code
            ? {
                ...s,
                state: "done",
                why: undefined,
                at: timeNow().toISOString(),
                recorded: [
                  ...made.map(({ answer, key }) => [kindNames[answer.kind], textOf(key)].filter(Boolean).join(": ")),
                  ...silent.map((x) => `${x}: nothing recorded`),
                ],
                verdict: status?.verdict,
                reason: status?.reason ?? "what came of it is not known on this device",
                left: status?.left,
                made: made.map(({ answer, address: of }) => ({
                  id: answer.id,
                  unit: of,
                  account: unit.accounts.find((x) => x.code === of)?.id,
                })),
              }
            : s,
        ),
      }));
      await dropAnswers(round.id, code);
      onDone(after);
    } catch (error) {
      setProblem(
        `Not kept: ${error instanceof Error ? error.message : String(error)}. Nothing you entered is lost; try again.`,
      );
    } finally {
      setBusy(false);
    }
  }
  async function skip(why: string) {
    const after = await changeRound(round.id, (r) => ({
      ...r,
      stops: r.stops.map((s) =>
        s.unit === code
          ? { ...s, state: "skipped", why, at: timeNow().toISOString(), verdict: view.verdict, reason: view.reason }
          : s,
      ),
    }));
    onDone(after);
  }
  const question = (q: Question, hot: boolean): ReactNode => {
    if (temper === "hot" && !hot) return null;
    const p = { ...ask, body: answerOf(q)?.body, onBody: (b: Body | undefined) => set(q, b) };
    switch (q) {
      case "level":
        return <LevelQuestion {...p} />;
      case "freeze_test":
        return <FreezeQuestion key={address} {...p} />;
      case "cap":
        return <CapQuestion {...p} />;
      case "meter":
        return <MeterQuestion {...p} />;
      case "appearance":
        return <AppearanceQuestion {...p} />;
      case "chemistry":
        return <ChemistryQuestion {...p} />;
      case "raw_water":
        return <RawWaterQuestion {...p} />;
      case "hoses":
      case "inspection":
        return null; // at the drawing of the system
    }
  };
  const asked = [...circuit.first, ...(more ? circuit.rest : [])];
  const system = asked.some((a) => a.question === "hoses" || a.question === "inspection");
  const lookedAll = () => {
    const points = circuit.points;
    set("hoses", {
      hoses: points.filter((p) => p.kind === "hose_check").map((p) => ({ hose: p.code, state: "good", clamp: "good" })),
    });
    set("inspection", {
      points: points.filter((p) => p.kind === "inspection").map((p) => ({ point: p.code, state: "good" })),
    });
    change((a) => ({ ...a, looked: true }));
  };
  const two = circuit.stages === 2;
  return (
    <div className="unit-sheet" data-testid="unit-sheet">
      <header className="unit-head">
        <h2 ref={top} tabIndex={-1}>
          <span className="figures">{code}</span> <span className="name">{unit.unit.name}</span>
        </h2>
        <p className="where figures">{[unit.place && `place ${unit.place}`, place].filter(Boolean).join(" · ")}</p>
      </header>
      {mustNotMove && (
        <div className="must-not-move" role="alert">
          <p className="loud">MUST NOT MOVE</p>
          <p>{mustNotMove}</p>
          {answerOf("hold") ? (
            <p>
              The hold is recorded with this unit.{" "}
              <button type="button" className="act" onClick={() => set("hold", undefined)}>
                remove it
              </button>
            </p>
          ) : held ? (
            <p>A hold is in force.</p>
          ) : (
            <button type="button" className="choice wide" onClick={() => set("hold", { why: holdWhy(mustNotMove) })}>
              put it on hold
            </button>
          )}
        </div>
      )}
      {view.stale && <p className="warning">{view.stale}</p>}
      <div className="columns">
        <div>
          <section className="owed" aria-label="Owed today">
            <p className="status-line">
              <Vial verdict={view.verdict} left={view.left} />
              <b>{verdictWords[view.verdict]}</b> <span>{circuit.protects}</span>
            </p>
            {circuit.owed.length > 0 && (
              <ul>
                {circuit.owed.map((o) => (
                  <li key={o.text}>{o.text}</li>
                ))}
              </ul>
            )}
          </section>
          {view.circuits.length > 1 && (
            <Choices
              label="Circuit"
              options={view.circuits.map((c) => ({
                value: c.address,
                name: c.circuit ?? c.address,
                hint: verdictWords[c.verdict],
              }))}
              value={address}
              onValue={(a) => a && setAddress(a)}
            />
          )}
          <section className="question">
            <h3 className="asked">engine cold?</h3>
            <p className="caution">{view.cold}</p>
            <Choices
              label="Engine cold?"
              options={[
                { value: "cold", name: "cold" },
                { value: "hot", name: "still warm" },
              ]}
              value={temper}
              onValue={(t) =>
                change((a) => {
                  // What cannot be done hot was not done; a level that was read hot is no cold one.
                  if (t === "hot") return { ...a, temper: t, given: hotOnly(a.given, view.circuits) };
                  return t === "cold" ? { ...a, temper: t, given: withoutHotLevels(a.given) } : a;
                })
              }
            />
            {temper === "hot" && <p className="warning">{view.hot}</p>}
          </section>
          {temper !== undefined && (
            <>
              {asked.map((a) => {
                const inner = question(a.question, a.hot);
                if (inner === null) return null;
                const key = keyOf(address, a.question);
                return (
                  <section key={a.question} className="question" data-question={a.question}>
                    <h3 className="asked">{a.name}</h3>
                    {inner}
                    <Said
                      preview={previewOfKey(key)}
                      onConfirm={() => confirm(key)}
                      confirmed={given[key]?.confirmed === true}
                    />
                  </section>
                );
              })}
              {!more && circuit.rest.length > 0 && (
                <button type="button" className="choice wide more" onClick={() => setMore(true)}>
                  more:{" "}
                  {circuit.rest
                    .filter((r) => temper === "cold" || r.hot)
                    .map((r) => r.name)
                    .join(", ")}
                  , note, photo
                </button>
              )}
              {more && (
                <NoteAndPhoto person={person} note={answerOf("note")} onNote={(b, photos) => set("note", b, photos)} />
              )}
              {more && <Defect body={answerOf("defect")?.body} onBody={(b) => set("defect", b)} />}
            </>
          )}
        </div>
        {temper !== undefined && (system || more) && (
          <div>
            <section className="question" data-question="system">
              <h3 className="asked">hoses, joints and points</h3>
              <SystemQuestion
                view={view}
                kind={unit.unit.kind}
                points={circuit.points}
                hoses={answerOf("hoses")?.body}
                inspection={answerOf("inspection")?.body}
                cap={answerOf("cap")?.body}
                temper={temper}
                onHoses={(b) => set("hoses", b)}
                onInspection={(b) => set("inspection", b)}
                onAll={lookedAll}
                onCap={() => change((a) => ({ ...a, looked: true }))}
              />
              {answers.looked && temper === "cold" && (
                <div className="cap-asked" role="group" aria-label="Pressure cap">
                  <p className="asked">
                    {two
                      ? "the cap: turned home to its last stop?"
                      : "the cap: on its seat, turned home to its last stop?"}
                  </p>
                  <CapQuestion {...ask} body={answerOf("cap")?.body} onBody={(b) => set("cap", b)} />
                  <Said
                    preview={previewOfKey(keyOf(address, "cap"))}
                    onConfirm={() => confirm(keyOf(address, "cap"))}
                    confirmed={answerOf("cap")?.confirmed === true}
                  />
                </div>
              )}
              {(["hoses", "inspection"] as const).map((q) => {
                const body = answerOf(q)?.body;
                const n = q === "hoses" ? hosesOf(body).length : pointsOf(body).length;
                if (n === 0) return null;
                const key = keyOf(address, q);
                return (
                  <Said
                    key={q}
                    preview={previewOfKey(key)}
                    onConfirm={() => confirm(key)}
                    confirmed={given[key]?.confirmed === true}
                    shown
                  />
                );
              })}
            </section>
          </div>
        )}
      </div>
      {core.failed && (
        <p className="notice" role="alert">
          No verdict on this device: {core.failed.message}. What you record is kept and judged when it arrives.
        </p>
      )}
      <Cautions lines={view.cautions} />
      <div className="round-bar no-print">
        <div className="what" aria-live="polite">
          {problem ? (
            <b className="alarm">{problem}</b>
          ) : kept instanceof Error ? (
            <b className="alarm">
              The last answer is not kept on this device: {kept.message}. Record it before you go on.
            </b>
          ) : kept === "no" ? (
            <span className="faint">keeping …</span>
          ) : (
            <Sum keys={keys} refused={refused.length} sum={sum} />
          )}
        </div>
        {skipping ? (
          <div className="choices" role="group" aria-label="Why it is skipped">
            {["not here", "still hot", "locked", "not reachable"].map((why) => (
              <button key={why} type="button" className="choice" onClick={() => void skip(why)}>
                {why}
              </button>
            ))}
            <button type="button" className="act" onClick={() => setSkipping(false)}>
              no
            </button>
          </div>
        ) : (
          <>
            {keys.length === 0 ? (
              <button type="button" className="choice" onClick={() => setSkipping(true)}>
                skip
              </button>
            ) : (
              <Discard answers={keys.length} onDiscard={() => change((a) => ({ temper: a.temper, given: {} }))} />
            )}
            {keys.length > 0 && (
              <button
                type="button"
                className="choice go"
                disabled={busy || refused.length > 0 || !view.mayRecord}
                onClick={() => void record()}
              >
                {busy ? "keeping …" : "record, next"}
              </button>
            )}
          </>
        )}
      </div>
    </div>
  );
}

/** A hold says why in the words of the verdict. */
const holdWhy = (why: string) => (why.length < 3 ? "must not move" : why.slice(0, 500).replace(/\.$/, ""));

/** Answers that a hot engine lets stand, by what the core says of each question and point; its level as a hot one. */
function hotOnly(given: Answers["given"], circuits: readonly WalkCircuit[]): Answers["given"] {
  const kept: Record<string, Answer> = {};
  for (const [key, a] of Object.entries(given)) {
    const { address, question } = questionOf(key);
    const circuit = circuits.find((c) => c.address === address);
    const asked = [...(circuit?.first ?? []), ...(circuit?.rest ?? [])].find((q) => q.question === question);
    if (asked && !asked.hot) continue;
    if (a.kind === "level_check") kept[key] = { ...a, body: { ...a.body, temper: "hot" } };
    else if (a.kind === "inspection") {
      const points = pointsOf(a.body).filter((f) => circuit?.points.find((p) => p.code === f.point)?.hot);
      if (points.length > 0) kept[key] = { ...a, body: { ...a.body, points } };
    } else kept[key] = a;
  }
  return kept;
}

const withoutHotLevels = (given: Answers["given"]): Answers["given"] =>
  Object.fromEntries(Object.entries(given).filter(([, a]) => a.kind !== "level_check" || a.body.temper !== "hot"));

/** Answers in the order in which they were given. */
const inOrder = (given: Answers["given"]) => Object.entries(given).sort(([, a], [, b]) => a.at.localeCompare(b.at));

/** The preview of the answer that was given last among those that are accepted: it has all others written. */
function lastAccepted(given: Answers["given"], previews: Readonly<Record<string, Preview>> | undefined) {
  return inOrder(given)
    .reverse()
    .map(([key]) => previews?.[key])
    .find((p) => p !== undefined && (p.refused?.length ?? 0) === 0);
}

/** What an answer says of the unit, or why it is not accepted. */
function Said(p: { preview?: Preview; onConfirm: () => void; confirmed: boolean; shown?: boolean }) {
  const preview = p.preview;
  if (!preview) return null;
  const refused = preview.refused ?? [];
  if (refused.length > 0) {
    const asked = refused.every((f) => f.question);
    return (
      <div className="said" role="status">
        {refused.map((f) => (
          <p key={f.pointer + f.detail} className="alarm">
            {f.detail}
            {f.accepted && `; accepted: ${f.accepted}`}
          </p>
        ))}
        {asked && !p.confirmed && (
          <button type="button" className="choice" onClick={p.onConfirm}>
            yes, it is right
          </button>
        )}
      </div>
    );
  }
  const all = [...(preview.read ?? []), ...(p.shown ? [preview.text ?? ""] : []), ...(preview.said ?? [])].filter(
    Boolean,
  );
  if (all.length === 0) return null;
  return (
    <div className={`said ${preview.verdict ?? ""}`} role="status">
      {all.map((s, i) => (
        <p key={s} className={i === 0 ? "strong" : ""}>
          {s}
        </p>
      ))}
    </div>
  );
}

/** Discards the answers at a unit, after a second press: only then it can be skipped. */
function Discard({ answers, onDiscard }: { answers: number; onDiscard: () => void }) {
  const [sure, setSure] = useState(false);
  return (
    <button
      type="button"
      className="choice"
      onClick={() => {
        if (sure) onDiscard();
        setSure(!sure);
      }}
    >
      {sure ? `discard ${answers}?` : "discard"}
    </button>
  );
}

function Sum({ keys, refused, sum }: { keys: readonly string[]; refused: number; sum?: Preview }) {
  if (refused > 0) return <b className="alarm">Not accepted yet: see above.</b>;
  if (keys.length === 0) return <span className="faint">nothing answered</span>;
  return (
    <>
      <span>
        {keys.length} {keys.length === 1 ? "answer" : "answers"}
      </span>
      {sum?.unit && <b> → {verdictWords[sum.unit.verdict]}</b>}
    </>
  );
}

function NoteAndPhoto(p: {
  person: string;
  note?: Answer;
  onNote: (b: Body | undefined, photos: readonly string[]) => void;
}) {
  const [failed, setFailed] = useState("");
  const photos = p.note?.photos ?? [];
  const text = typeof p.note?.body.text === "string" ? p.note.body.text : "";
  const bare = text === photoNote ? "" : text;
  const set = (typed: string, all: readonly string[]) =>
    p.onNote(
      typed.trim() === "" && all.length === 0 ? undefined : { text: typed.trim() === "" ? photoNote : typed },
      all,
    );
  async function add(file: File | undefined) {
    if (!file) return;
    setFailed("");
    try {
      const hash = await keepPhoto(p.person, file);
      set(bare, [...photos.filter((h) => h !== hash), hash].slice(0, 10));
    } catch (error) {
      setFailed(error instanceof Error ? error.message : String(error));
    }
  }
  return (
    <section className="question" data-question="note">
      <h3 className="asked">note and photo</h3>
      <div className="typed-fields">
        <label className="grow">
          note
          <input value={bare} maxLength={1000} onChange={(e) => set(e.target.value, photos)} />
        </label>
      </div>
      <label className="choice photo">
        {photos.length === 0
          ? "take or choose a photo"
          : `${photos.length} ${photos.length === 1 ? "photo" : "photos"}; another`}
        <input
          type="file"
          accept="image/*"
          capture="environment"
          className="hidden-label"
          onChange={(e) => {
            void add(e.target.files?.[0]);
            e.target.value = "";
          }}
        />
      </label>
      {photos.length > 0 && (
        <button type="button" className="act" onClick={() => set(bare, [])}>
          remove the photos
        </button>
      )}
      {failed && <p className="alarm">{failed}</p>}
    </section>
  );
}

const photoNote = "photo";

function Defect({ body, onBody }: { body?: Body; onBody: (b: Body | undefined) => void }) {
  const what = typeof body?.what === "string" ? body.what : "";
  const severity = typeof body?.severity === "string" ? body.severity : "watch";
  return (
    <section className="question" data-question="defect">
      <h3 className="asked">something else is wrong</h3>
      <div className="typed-fields">
        <label className="grow">
          what
          <input
            value={what}
            maxLength={300}
            onChange={(e) => onBody(e.target.value ? { what: e.target.value, severity } : undefined)}
          />
        </label>
      </div>
      {what !== "" && (
        <Choices
          label="Severity"
          options={[
            { value: "stop", name: "must not run" },
            { value: "repair", name: "repair" },
            { value: "watch", name: "watch" },
          ]}
          value={severity}
          onValue={(s) => onBody({ what, severity: s ?? "watch" })}
        />
      )}
    </section>
  );
}
