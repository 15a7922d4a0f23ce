import { useEffect, useRef, useState } from "react";
import { Link as RouterLink, useParams } from "react-router";
import { Problem, type Schemas, api } from "../api/client";
import { Frame } from "../frame/Frame";
import { Failed, Waiting } from "../frame/State";
import { timeNow } from "../frame/clock";
import { dropEvent, type JobStep, type JobView, keepEvent, type OpenJob, useJob } from "./kept";
import { usePerson } from "../people/session";
import { readStep, simulatedStep, startCore } from "../round/core";
import { Pockets, Strip } from "./Pockets";
import { Remaining } from "./Remaining";

type Value = Schemas["JobValue"];

/** The sheet of a job: the next step large and always in the same place, those done folded below it. */
export function JobPage() {
  const { id = "" } = useParams();
  const person = usePerson();
  const job = useJob(person.email, id);
  useEffect(startCore, []);
  const v = job.view;
  return (
    <Frame
      title={v ? `${v.unit} ${v.title}` : "Job"}
      head={v ? [v.name, v.phaseName].filter(Boolean).join(" · ") : ""}
      here="job"
    >
      <div className="page-pad job-page">
        {!v && !job.error && <Waiting what="the job" />}
        {job.error && (
          <Failed error={job.error} again={() => void job.again()}>
            <RouterLink to="/job">to the jobs</RouterLink>
          </Failed>
        )}
        {v && <Sheet job={job} view={v} />}
      </div>
    </Frame>
  );
}

function Sheet({ job, view: v }: { job: OpenJob; view: JobView }) {
  const person = usePerson();
  const [chosen, setChosen] = useState("");
  const may = person.role !== "reader" && !v.ended;
  const current = v.steps.find((s) => s.key === chosen) ?? v.steps.find((s) => s.key === v.next);
  const done = v.steps.filter((s) => s.status === "done" || s.status === "overridden");
  const later = v.steps.filter((s) => s.status === "later" && s.key !== "release");
  const send = (what: string, event: Parameters<typeof keepEvent>[4]) =>
    keepEvent(person.email, v.id, v.unit, what, event);
  return (
    <div className="job-sheet" data-revision={v.revision} data-next={v.next}>
      <div className="job-main">
        <Notices job={job} view={v} />
        {v.ended ? (
          <Ended view={v} />
        ) : current?.key === "release" && v.ready ? (
          <ReleaseForm job={job} view={v} />
        ) : (
          current && (
            <StepForm
              key={`${current.key} ${current.answer?.id ?? ""}`}
              step={current}
              view={v}
              job={job}
              may={may && !v.posted}
              send={send}
              correcting={chosen !== "" && chosen !== v.next}
              onDone={() => setChosen("")}
            />
          )
        )}
        <Actions view={v} may={may} send={send} />
        <section className="section" aria-label="Steps done">
          <h2 className="heading">
            Done <span className="faint figures">{done.length}</span>
          </h2>
          <ol className="done-steps">
            {[...done].reverse().map((s) => (
              <DoneStep key={s.key} step={s} may={may && !v.posted} onCorrect={() => setChosen(s.key)} />
            ))}
          </ol>
        </section>
        {later.length > 0 && !v.ended && (
          <details className="section">
            <summary>
              To come <span className="faint figures">{later.length}</span>
            </summary>
            <ol className="later-steps">
              {later.map((s) => (
                <li key={s.key}>
                  {s.title}{" "}
                  <span className="faint">{s.facts.map((f) => `${f.label} ${f.text}`.trim()).join("; ")}</span>
                </li>
              ))}
            </ol>
          </details>
        )}
      </div>
      <aside className="job-beside">
        <h2 className="heading">System</h2>
        <Pockets view={v} />
        <p className="faint">{v.totals.join(" · ")}</p>
        <Strip view={v} />
        {v.plan.length > 0 && !v.ended && (
          <>
            <h3>What to pour</h3>
            <ul className="plain">
              {v.plan.map((p) => (
                <li key={p}>{p}</li>
              ))}
            </ul>
          </>
        )}
        {v.gates.length > 0 && (
          <>
            <h3>Gates</h3>
            <ul className="gates">
              {v.gates.map((g) => (
                <li key={g.name} className={g.status}>
                  <span>{g.name}</span> <b>{g.statusName}</b>
                </li>
              ))}
            </ul>
          </>
        )}
        <details>
          <summary>Cautions, tools, parts, coolant</summary>
          <ul className="plain cautions-list">
            {v.cautions.map((c) => (
              <li key={c}>{c}</li>
            ))}
          </ul>
          <p>{[...v.materials, ...v.tools, ...v.parts].join("; ")}</p>
        </details>
        <p className="faint">{v.method.join(" · ")}</p>
        {v.people.length > 1 && <p className="faint">Worked on by {v.people.join(", ")}.</p>}
      </aside>
    </div>
  );
}

function Notices({ job, view: v }: { job: OpenJob; view: JobView }) {
  const waiting = job.waiting.filter((l) => l.why === undefined);
  return (
    <>
      {v.stop && (
        <p className="job-stop" role="alert">
          {v.stop}
        </p>
      )}
      {v.pause && (
        <p className="job-pause" role="status">
          <b>Paused:</b> {v.pause}
        </p>
      )}
      {v.warning && !v.pause && !v.ended && (
        <p className="job-pause" role="status">
          <b>{v.warning}</b>
        </p>
      )}
      {job.kept?.problem && (
        <p className="alarm" role="alert">
          <b>The ledger does not take the entries of this job:</b> {job.kept.problem}. Correct the step below.
        </p>
      )}
      {v.exercise && <p className="exercise">Exercise on a simulated unit. Nothing of it goes to the ledger.</p>}
      {waiting.length > 0 && (
        <p className="unsent" role="status">
          {waiting.length} {waiting.length === 1 ? "step waits" : "steps wait"} on this device until the server answers.
        </p>
      )}
      {waiting.length === 0 && job.stale && (
        <p className="unsent" role="status">
          The server does not answer: this is the job as this device has it.
        </p>
      )}
      {job.waiting
        .filter((l) => l.why !== undefined)
        .map((l) => (
          <p key={l.id} className="alarm" role="alert">
            <b>Not recorded: {l.what}.</b> {l.why}{" "}
            <button type="button" className="act small" onClick={() => void dropEvent(l.id)}>
              discard
            </button>
          </p>
        ))}
      {v.unplaced.map((u) => (
        <p key={u} className="notice">
          Recorded, not counted: {u}
        </p>
      ))}
    </>
  );
}

interface StepProps {
  step: JobStep;
  view: JobView;
  job: OpenJob;
  may: boolean;
  send: (what: string, event: Parameters<typeof keepEvent>[4]) => Promise<void>;
  correcting: boolean;
  onDone: () => void;
}

/** One step: what to do, the figures to work by, and what is recorded. */
function StepForm({ step: s, view: v, job, may, send, correcting, onDone }: StepProps) {
  const heading = useRef<HTMLHeadingElement>(null);
  const [texts, setTexts] = useState<Readonly<Record<string, string>>>({});
  const [refused, setRefused] = useState<readonly { field: string; text: string }[]>([]);
  const [failed, setFailed] = useState("");
  const [busy, setBusy] = useState(false);
  const [why, setWhy] = useState("");
  const [overriding, setOverriding] = useState(false);
  const [simulated, setSimulated] = useState(false);
  const set = (code: string, text: string) => {
    setTexts((now) => ({ ...now, [code]: text }));
    setRefused((now) => now.filter((r) => r.field !== code));
  };
  useEffect(() => heading.current?.focus({ preventScroll: true }), []);
  async function record() {
    if (!job.kept || busy) return;
    setBusy(true);
    setFailed("");
    try {
      const filled = { ...texts };
      for (const f of s.fields) if (f.choices.length === 1 && !f.optional) filled[f.code] ??= f.choices[0]?.code ?? "";
      const read = await readStep(job.kept.pack, job.events, timeNow(), s.key, filled);
      if (read.refused && read.refused.length > 0) {
        setRefused(read.refused);
        setBusy(false);
        return;
      }
      await send(s.title, { type: "answer", step: s.key, values: read.values ?? {}, replaces: s.answer?.id });
      onDone();
    } catch (e) {
      setFailed((e as Error).message);
    }
    setBusy(false);
  }
  async function simulate() {
    if (!job.kept) return;
    const { values } = await simulatedStep(job.kept.pack, job.events, timeNow(), s.key);
    setTexts(Object.fromEntries(Object.entries(values).map(([code, value]) => [code, textOf(value)])));
    setRefused([]);
    setSimulated(true);
  }
  const strong = s.facts.filter((f) => f.strong);
  const others = s.facts.filter((f) => !f.strong);
  return (
    <section className="job-step" aria-label={s.title}>
      <p className="step-place faint">
        {correcting ? "correct what was recorded" : s.statusName} · step {v.steps.findIndex((x) => x.key === s.key) + 1}{" "}
        of {v.steps.length}
        {s.gate && ` · gate: ${s.gate}`}
      </p>
      <h2 ref={heading} tabIndex={-1}>
        {s.title}
      </h2>
      {s.cautions.map((c) => (
        <p key={c} className="step-caution">
          {c}
        </p>
      ))}
      {s.do.map((d) => (
        <p key={d} className="step-do">
          {d}
        </p>
      ))}
      {s.key === "prepare" && (
        <dl className="step-prepare">
          <dt>Coolant</dt>
          <dd>{v.materials.join("; ")}</dd>
          <dt>Tools</dt>
          <dd>{v.tools.join("; ")}</dd>
          {v.parts.length > 0 && (
            <>
              <dt>Parts</dt>
              <dd>{v.parts.join("; ")}</dd>
            </>
          )}
          <dt>Cautions</dt>
          {v.cautions.map((c) => (
            <dd key={c} className="step-caution">
              {c}
            </dd>
          ))}
        </dl>
      )}
      {strong.length > 0 && (
        <dl className="step-strong">
          {strong.map((f) => (
            <div key={f.label + f.text}>
              <dt>{f.label}</dt>
              <dd className="figures">{f.text}</dd>
            </div>
          ))}
        </dl>
      )}
      {others.length > 0 && (
        <ul className="step-facts">
          {others.map((f) => (
            <li key={f.label + f.text}>
              {f.label} <b className={/^[−\d]/.test(f.text) ? "figures" : undefined}>{f.text}</b>
            </li>
          ))}
        </ul>
      )}
      {(s.status === "failed" || correcting) && s.answer && (
        <p className="step-was">
          Recorded: {s.answer.values.map((a) => `${a.label} ${a.text}`).join("; ")} ({s.answer.by}, {s.answer.at})
        </p>
      )}
      {s.why.map((w) => (
        <p key={w} className="step-why" role="alert">
          {w}
        </p>
      ))}
      <Others step={s} />
      {s.timer && (
        <p className="step-timer">
          {s.timer.ends ? (
            <>
              {s.timer.label}:<Remaining ends={s.timer.ends} />
            </>
          ) : (
            may && (
              <button
                type="button"
                className="choice"
                onClick={() => void send("timer", { type: "timer", step: s.key })}
              >
                start the timer
                <small>{s.timer.label}</small>
              </button>
            )
          )}
        </p>
      )}
      {may && (
        <form
          data-simulated={simulated}
          onSubmit={(e) => {
            e.preventDefault();
            void record();
          }}
        >
          {s.fields.map((f) => (
            <FieldInput
              key={f.code}
              field={f}
              value={texts[f.code] ?? ""}
              refused={refused.find((r) => r.field === f.code)}
              onValue={(t) => set(f.code, t)}
            />
          ))}
          {failed && (
            <p className="alarm" role="alert">
              {failed}
            </p>
          )}
          <div className="step-record">
            {!s.sums && (
              <button type="submit" className="choice go wide" disabled={busy}>
                {s.fields.length === 1 && s.fields[0]?.choices.length === 1 ? "done" : "record"}
              </button>
            )}
            {v.exercise && !s.sums && (
              <button type="button" className="choice" onClick={() => void simulate()}>
                look at the simulated unit
              </button>
            )}
            {correcting && (
              <button type="button" className="choice" onClick={onDone}>
                leave it as it is
              </button>
            )}
          </div>
        </form>
      )}
      {may && s.mayOverride && !correcting && (
        <div className="step-override">
          {!overriding ? (
            <button type="button" className="act" onClick={() => setOverriding(true)}>
              override this gate
            </button>
          ) : (
            <div className="typed-fields">
              <label className="grow">
                reason; it stays in the ledger
                <input value={why} maxLength={300} onChange={(e) => setWhy(e.target.value)} />
              </label>
              <button
                type="button"
                className="choice"
                disabled={why.trim().length < 3}
                onClick={() => void send("override", { type: "override", step: s.key, why: why.trim() })}
              >
                override
              </button>
            </div>
          )}
        </div>
      )}
      <BalanceOverride view={v} step={s} may={may} send={send} />
    </section>
  );
}

/** A short volume may be taken on at the step that asks to bleed again. */
function BalanceOverride({ view: v, step: s, may, send }: Pick<StepProps, "view" | "step" | "may" | "send">) {
  const [open, setOpen] = useState(false);
  const [why, setWhy] = useState("");
  const balance = v.steps.find((x) => x.key.startsWith("balance") && x.status !== "done" && x.status !== "overridden");
  if (!may || !balance?.mayOverride || !s.key.startsWith("rebleed")) return null;
  if (!open)
    return (
      <button type="button" className="act" onClick={() => setOpen(true)}>
        override: volume in = volume out
      </button>
    );
  return (
    <div className="typed-fields">
      <label className="grow">
        reason; it stays in the ledger, and a level check is owed before release
        <input value={why} maxLength={300} onChange={(e) => setWhy(e.target.value)} />
      </label>
      <button
        type="button"
        className="choice"
        disabled={why.trim().length < 3}
        onClick={() => void send("override", { type: "override", step: balance.key, why: why.trim() })}
      >
        override
      </button>
    </div>
  );
}

const textOf = (v: Value): string =>
  v.reading ? `${v.reading.value} ${unitText(v.reading.unit)}` : (v.choice ?? v.text ?? "");

/** Units as a person types them: those whose code is no text of the reading. */
const unitText = (u: string) =>
  ({
    degC: "°C",
    degF: "°F",
    qt_us: "US qt",
    gal_us: "US gal",
    qt_imp: "imp qt",
    gal_imp: "imp gal",
    one: "",
    percent: "%",
    Nm: "N·m",
    lbf_ft: "lbf·ft",
    lbf_in: "lbf·in",
  })[u] ?? u;

function FieldInput(p: {
  field: Schemas["JobField"];
  value: string;
  refused?: { text: string };
  onValue: (text: string) => void;
}) {
  const f = p.field;
  const wrong = p.refused && (
    <p className="alarm" role="alert" id={`wrong-${f.code}`}>
      {p.refused.text}
    </p>
  );
  if (f.choices.length === 1 && !f.optional) return wrong ?? null;
  if (f.form === "choice")
    return (
      <fieldset className="step-field">
        <legend>
          {f.label}
          {f.optional && <span className="faint"> (optional)</span>}
        </legend>
        <div className="choices">
          {f.choices.map((c) => (
            <button
              key={c.code}
              type="button"
              className="choice"
              data-field={f.code}
              data-choice={c.code}
              aria-pressed={p.value === c.code}
              onClick={() => p.onValue(p.value === c.code ? "" : c.code)}
            >
              {c.name}
            </button>
          ))}
        </div>
        {wrong}
      </fieldset>
    );
  return (
    <div className="step-field typed-fields">
      <label>
        {f.label}
        {f.unit && `, ${f.unit}`}
        {f.optional && <span className="faint"> (optional)</span>}
        <input
          data-field={f.code}
          className={f.form === "quantity" ? "big figures" : undefined}
          inputMode={f.form === "quantity" ? "text" : undefined}
          value={p.value}
          autoComplete="off"
          maxLength={300}
          aria-invalid={p.refused ? true : undefined}
          aria-describedby={p.refused ? `wrong-${f.code}` : undefined}
          onChange={(e) => p.onValue(e.target.value)}
        />
      </label>
      {wrong}
    </div>
  );
}

/** Answers to a step that do not count: the first one does. */
function Others({ step }: { step: JobStep }) {
  return step.others.map((o) => (
    <p key={o.id} className="notice">
      Another answer, which does not count: {o.values.map((a) => `${a.label} ${a.text}`).join("; ")} ({o.by}, {o.at})
    </p>
  ));
}

function DoneStep({ step: s, may, onCorrect }: { step: JobStep; may: boolean; onCorrect: () => void }) {
  const figures = s.answer?.values.map((a) => `${a.label} ${a.text}`).join("; ");
  return (
    <li className={s.why.length > 0 || s.status === "overridden" ? "heeded" : undefined}>
      <details>
        <summary>
          <span className="done-title">{s.title}</span>{" "}
          <span className="figures">{figures ?? s.facts.map((f) => f.text).join("; ")}</span>
          {s.status === "overridden" && <b> overridden</b>}
        </summary>
        {s.answer && (
          <p className="faint">
            {s.answer.by}, {s.answer.at}
          </p>
        )}
        {s.override && <p>{s.override}</p>}
        <Others step={s} />
        {may && !s.sums && (
          <button type="button" className="act small" onClick={onCorrect}>
            correct
          </button>
        )}
      </details>
      {s.why.map((w) => (
        <p key={w} className="done-why">
          {w}
        </p>
      ))}
    </li>
  );
}

/** Pausing, going on, paper, the end without a release. */
function Actions({ view: v, may, send }: { view: JobView; may: boolean; send: StepProps["send"] }) {
  const person = usePerson();
  const [asked, setAsked] = useState<"" | "pause" | "cancel">("");
  const [why, setWhy] = useState("");
  const act = async (type: "pause" | "cancel") => {
    await send(type, { type, why: why.trim() });
    setAsked("");
    setWhy("");
  };
  return (
    <div className="job-actions no-print">
      <div className="buttons-row">
        {may && !v.posted && !v.ready && !v.pause && (
          <button type="button" className="act framed" onClick={() => setAsked(asked === "pause" ? "" : "pause")}>
            pause and hand over
          </button>
        )}
        {may && v.pause && (
          <button type="button" className="act framed" onClick={() => void send("resume", { type: "resume" })}>
            go on
          </button>
        )}
        <a className="act framed" href={`/api/v1/jobs/sheets.pdf?job=${v.id}`} target="_blank" rel="noreferrer">
          sheet to write on (PDF)
        </a>
        <a className="act framed" href={`/api/v1/jobs/${v.id}/record.pdf`} target="_blank" rel="noreferrer">
          record (PDF)
        </a>
        <RouterLink className="act framed" to={`/units/${encodeURIComponent(v.unit)}`}>
          account
        </RouterLink>
        {may && !v.posted && (person.role === "coordinator" || person.role === "signatory") && (
          <button type="button" className="act" onClick={() => setAsked(asked === "cancel" ? "" : "cancel")}>
            cancel the job
          </button>
        )}
      </div>
      {asked !== "" && (
        <form
          className="typed-fields"
          onSubmit={(e) => {
            e.preventDefault();
            void act(asked);
          }}
        >
          <label className="grow">
            {asked === "pause"
              ? "what is open and why, such as: waiting for washers"
              : "why it ends; the unit stays on hold, and what was drained or poured is recorded in its account"}
            <input value={why} maxLength={300} onChange={(e) => setWhy(e.target.value)} />
          </label>
          <button type="submit" className="choice" disabled={why.trim().length < 3}>
            {asked === "pause" ? "pause" : "cancel the job"}
          </button>
        </form>
      )}
    </div>
  );
}

function Ended({ view: v }: { view: JobView }) {
  return (
    <section className="job-step">
      <h2>{v.ended}</h2>
      <p>
        The entries are in <RouterLink to={`/units/${encodeURIComponent(v.unit)}`}>the account of {v.unit}</RouterLink>.{" "}
        <RouterLink to={`/tags?unit=${encodeURIComponent(v.unit)}`}>Print its label</RouterLink>.
      </p>
    </section>
  );
}

/** The last gate, by a person who may. */
function ReleaseForm({ job, view: v }: { job: OpenJob; view: JobView }) {
  const [what, setWhat] = useState(`${v.title} done as recorded`);
  const [certificate, setCertificate] = useState("");
  const [kind, setKind] = useState("");
  const [data, setData] = useState("");
  const [total, setTotal] = useState("");
  const [confirmed, setConfirmed] = useState(false);
  const [asked, setAsked] = useState("");
  const [failed, setFailed] = useState("");
  const [busy, setBusy] = useState(false);
  if (v.exercise)
    return (
      <section className="job-step">
        <h2>{v.missed.length === 0 ? "Exercise done: nothing was missed" : "Exercise done: this was missed"}</h2>
        <ul className="plain">
          {v.missed.map((m) => (
            <li key={m}>{m}</li>
          ))}
        </ul>
      </section>
    );
  async function release() {
    setBusy(true);
    setFailed("");
    try {
      await api.releaseJob(v.id, {
        what,
        certificate: certificate || undefined,
        certificateKind: kind || undefined,
        data: data || undefined,
        totalTime: total || undefined,
        confirmed: confirmed || undefined,
      });
      await job.again();
    } catch (e) {
      const question = e instanceof Problem ? e.fields.find((f) => f.question) : undefined;
      if (question) setAsked([question.detail, question.accepted].filter(Boolean).join("; accepted: "));
      else if (e instanceof Problem && e.fields.length > 0)
        setFailed(e.fields.map((f) => [f.detail, f.accepted].filter(Boolean).join("; accepted: ")).join("; "));
      else setFailed((e as Error).message);
    }
    setBusy(false);
  }
  return (
    <section className="job-step" aria-label="Release">
      <p className="step-place faint">all steps are done · gate: release</p>
      <h2>{v.release.aircraft ? "Return to service" : "Release"}</h2>
      {v.release.aircraft && (
        <p className="step-caution">
          Prepared, not approved data. Approved maintenance data and a licensed signatory decide.
        </p>
      )}
      {!v.release.may ? (
        <p className="step-do">The unit stays on hold until a {v.release.roles} releases it.</p>
      ) : (
        <form
          onSubmit={(e) => {
            e.preventDefault();
            void release();
          }}
        >
          <div className="typed-fields">
            <label className="grow">
              work done
              <input value={what} maxLength={300} onChange={(e) => setWhat(e.target.value)} />
            </label>
            {v.release.aircraft && (
              <>
                <label>
                  certificate number
                  <input value={certificate} maxLength={60} onChange={(e) => setCertificate(e.target.value)} />
                </label>
                <label>
                  kind of certificate
                  <input value={kind} maxLength={60} onChange={(e) => setKind(e.target.value)} />
                </label>
                <label>
                  approved maintenance data
                  <input value={data} maxLength={200} onChange={(e) => setData(e.target.value)} />
                </label>
                <label>
                  total time, h
                  <input value={total} maxLength={40} onChange={(e) => setTotal(e.target.value)} />
                </label>
              </>
            )}
          </div>
          {asked && (
            <p className="alarm" role="alert">
              {asked}{" "}
              <button
                type="button"
                className="choice"
                aria-pressed={confirmed}
                onClick={() => setConfirmed(!confirmed)}
              >
                end that hold too
              </button>
            </p>
          )}
          {failed && (
            <p className="alarm" role="alert">
              {failed}
            </p>
          )}
          <div className="step-record">
            <button type="submit" className="choice go wide" disabled={busy}>
              release {v.unit}
            </button>
          </div>
        </form>
      )}
    </section>
  );
}
