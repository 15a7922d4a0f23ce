import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link as RouterLink, useNavigate, useSearchParams } from "react-router";
import { Problem, type Schemas, api } from "../api/client";
import { Cautions } from "../frame/Cautions";
import { Frame } from "../frame/Frame";
import { Failed, Waiting } from "../frame/State";
import { usePerson } from "../people/session";
import { Choices } from "../round/Questions";
import { newId } from "../round/answers";
import { startCore } from "../round/core";
import { Pockets } from "./Pockets";

type Input = Schemas["JobInput"];

const named = (all: readonly Schemas["JobNamed"][]) => all.map((n) => ({ value: n.code, name: n.name }));

/** Which job on which unit, by which method; its sheet is shown before it begins. */
export function StartPage() {
  const [params] = useSearchParams();
  const unit = params.get("unit") ?? "";
  const choices = useQuery({
    queryKey: ["job-choices", unit],
    queryFn: ({ signal }) => api.jobChoices(unit, signal),
    retry: 0,
  });
  return (
    <Frame title={`Job on ${unit}`} head={choices.data?.name} here="job">
      <div className="page-pad jobs">
        {choices.isPending && <Waiting what="the unit" />}
        {choices.isError && (
          <Failed error={choices.error} again={() => void choices.refetch()}>
            <p>
              <RouterLink to="/job">back to the jobs</RouterLink>
            </p>
          </Failed>
        )}
        {choices.data && <Choose choices={choices.data} />}
      </div>
    </Frame>
  );
}

function Choose({ choices: c }: { choices: Schemas["JobChoices"] }) {
  const person = usePerson();
  const navigate = useNavigate();
  const [id] = useState(newId);
  const [job, setJob] = useState<Input["job"]>();
  const [part, setPart] = useState<Input["part"]>();
  const [fill, setFill] = useState<string>(c.fill);
  const [bleed, setBleed] = useState<string>(c.bleed);
  const [product, setProduct] = useState(c.product);
  const [points, setPoints] = useState<readonly string[]>();
  const [set, setSet] = useState<Readonly<Record<string, boolean>>>({});
  const [busy, setBusy] = useState(false);
  const [failed, setFailed] = useState("");
  const input: Input | undefined =
    job === undefined || (job === "part_change" && part === undefined)
      ? undefined
      : {
          id,
          unit: c.unit,
          job,
          part: job === "part_change" ? part : undefined,
          fill: fill as Input["fill"],
          bleed: bleed as Input["bleed"],
          product: product || undefined,
          points: points ? [...points] : undefined,
          thermostatOut: job === "full_flush" && set.thermostatOut ? true : undefined,
          cleaner: job === "full_flush" && set.cleaner ? true : undefined,
          backFlush: job === "full_flush" && set.backFlush ? true : undefined,
          sealant: set.sealant ? true : undefined,
        };
  const sheet = useQuery({
    queryKey: ["job-sheet", input],
    queryFn: ({ signal }) => {
      if (!input) throw new Error("no job is chosen");
      return api.previewJob(input, signal);
    },
    enabled: input !== undefined,
    retry: 0,
  });
  async function begin(exercise: boolean) {
    if (!input) return;
    setBusy(true);
    setFailed("");
    startCore();
    try {
      await api.startJob(exercise ? { ...input, exercise: true } : input);
      await navigate(`/job/${id}`);
    } catch (e) {
      setFailed((e as Error).message);
      setBusy(false);
    }
  }
  const toggle = (name: string, label: string) => (
    <button
      type="button"
      className="choice"
      aria-pressed={set[name] === true}
      onClick={() => setSet({ ...set, [name]: !set[name] })}
    >
      {label}
    </button>
  );
  return (
    <div className="job-start">
      <div>
        <Cautions lines={c.cautions} />
        {c.open !== "" && (
          <p className="notice">
            A job is under way on this unit. <RouterLink to={`/job/${c.open}`}>Go on with it</RouterLink>
          </p>
        )}
        <section className="section">
          <h2 className="heading">Which job?</h2>
          <Choices label="Job" options={named(c.kinds)} value={job} onValue={(v) => setJob(v as Input["job"])} />
          {job === "part_change" && (
            <>
              <h3>Part</h3>
              <Choices
                label="Part"
                options={named(c.parts)}
                value={part}
                onValue={(v) => setPart(v as Input["part"])}
              />
            </>
          )}
          {job === "full_flush" && (
            <>
              <h3>Flush</h3>
              <div className="choices" role="group" aria-label="Flush">
                {toggle("thermostatOut", "thermostat out")}
                {toggle("cleaner", "cleaner first, some days of driving")}
                {toggle("backFlush", "back-flush")}
              </div>
            </>
          )}
        </section>
        {job !== undefined && (
          <section className="section">
            <h2 className="heading">By which method?</h2>
            <h3>Fill</h3>
            <Choices label="Fill" options={named(c.fills)} value={fill} onValue={(v) => v && setFill(v)} />
            <h3>Bleed</h3>
            <Choices label="Bleed" options={named(c.bleeds)} value={bleed} onValue={(v) => v && setBleed(v)} />
            <h3>Sealing</h3>
            <div className="choices" role="group" aria-label="Sealing">
              {toggle("sealant", "sealant where a housing is opened")}
            </div>
            <h3>Drain points</h3>
            <div className="choices" role="group" aria-label="Drain points">
              {c.points.map((p) => (
                <button
                  key={p.code}
                  type="button"
                  className="choice"
                  aria-pressed={points?.includes(p.code) ?? false}
                  onClick={() => {
                    const now = points ?? [];
                    const next = now.includes(p.code) ? now.filter((x) => x !== p.code) : [...now, p.code];
                    setPoints(next.length === 0 ? undefined : next);
                  }}
                >
                  {p.name}
                </button>
              ))}
            </div>
            {points === undefined && <p className="faint">None chosen: those that this job takes.</p>}
            <div className="typed-fields">
              <label>
                product
                <select value={product} onChange={(e) => setProduct(e.target.value)}>
                  {product === "" && <option value="">choose</option>}
                  {c.products.map((p) => (
                    <option key={p.code} value={p.code}>
                      {p.name}
                    </option>
                  ))}
                </select>
              </label>
            </div>
          </section>
        )}
        {person.role === "coordinator" && <Parameters choices={c} />}
      </div>
      <div className="job-preview">
        {input === undefined && <p className="faint">Choose a job to see its sheet.</p>}
        {sheet.isError && <p className="alarm">{refusalOf(sheet.error)}</p>}
        {sheet.data && <Preview view={sheet.data.view} />}
        {failed && (
          <p className="alarm" role="alert">
            {failed}
          </p>
        )}
        {input && sheet.data && person.role !== "reader" && (
          <p className="buttons-row">
            <button
              type="button"
              className="choice go"
              disabled={busy || c.open !== ""}
              onClick={() => void begin(false)}
            >
              begin the job
              <small>the unit is on hold until it is released</small>
            </button>
            <button type="button" className="choice" disabled={busy} onClick={() => void begin(true)}>
              as an exercise
              <small>simulated unit, nothing in the ledger</small>
            </button>
          </p>
        )}
      </div>
    </div>
  );
}

const refusalOf = (e: Error) =>
  e instanceof Problem && e.fields.length > 0
    ? e.fields.map((f) => [f.detail, f.accepted].filter(Boolean).join("; accepted: ")).join("; ")
    : e.message;

/** The sheet as it would be. */
function Preview({ view: v }: { view: Schemas["JobView"] }) {
  return (
    <section aria-label="Sheet">
      <h2 className="heading">Sheet: {v.title}</h2>
      <p className="faint">{[...v.method, ...v.totals].join(" · ")}</p>
      <Pockets view={v} />
      <h3>Coolant</h3>
      <ul className="plain">
        {v.materials.map((m) => (
          <li key={m}>{m}</li>
        ))}
        {v.plan.map((m) => (
          <li key={m} className="faint">
            {m}
          </li>
        ))}
      </ul>
      <h3>Tools and parts</h3>
      <p>{[...v.tools, ...v.parts].join("; ")}</p>
      <h3>Steps</h3>
      <ol className="job-preview-steps">
        {v.steps.map((s) => (
          <li key={s.key}>
            {s.title}
            {s.facts.length > 0 && (
              <span className="faint"> {s.facts.map((f) => `${f.label} ${f.text}`.trim()).join("; ")}</span>
            )}
          </li>
        ))}
      </ol>
      <p className="faint">What is measured changes the steps after it.</p>
    </section>
  );
}

/** Times and limits of the methods, which the maker's manual overrides. */
function Parameters({ choices: c }: { choices: Schemas["JobChoices"] }) {
  const queries = useQueryClient();
  const [open, setOpen] = useState("");
  const [value, setValue] = useState("");
  const [why, setWhy] = useState("");
  const [ofType, setOfType] = useState(false);
  const [failed, setFailed] = useState("");
  async function save(common: boolean) {
    setFailed("");
    const typed = Number(value.trim().replace(",", "."));
    if (!common && (value.trim() === "" || !Number.isFinite(typed))) {
      setFailed(`"${value}" is not accepted; accepted: a number`);
      return;
    }
    try {
      await api.setJobParameter({ unit: c.unit, ofType, code: open, value: common ? undefined : typed, why });
      setOpen("");
      await queries.invalidateQueries({ queryKey: ["job-choices"] });
      await queries.invalidateQueries({ queryKey: ["job-sheet"] });
    } catch (e) {
      setFailed(refusalOf(e as Error));
    }
  }
  return (
    <details className="section">
      <summary>Times and limits of the methods</summary>
      <ul className="job-parameters">
        {c.parameters.map((p) => (
          <li key={p.code}>
            <button
              type="button"
              className="act"
              onClick={() => {
                setOpen(open === p.code ? "" : p.code);
                setValue(String(p.value));
                setWhy("");
                setFailed("");
              }}
            >
              {p.name}: <b className="figures">{`${p.value} ${p.unit}`.trim()}</b>
            </button>
            <small className="faint">{p.set ?? p.source}</small>
            {open === p.code && (
              <div className="typed-fields">
                <label>
                  {p.unit === "" ? "value" : p.unit}
                  <input inputMode="decimal" value={value} onChange={(e) => setValue(e.target.value)} />
                </label>
                <label className="grow">
                  where it comes from
                  <input
                    value={why}
                    maxLength={300}
                    placeholder="maker's manual, page"
                    onChange={(e) => setWhy(e.target.value)}
                  />
                </label>
                {c.type !== "" && (
                  <button type="button" className="choice" aria-pressed={ofType} onClick={() => setOfType(!ofType)}>
                    for all of {c.type}
                  </button>
                )}
                <button type="button" className="choice" onClick={() => void save(false)}>
                  set
                </button>
                <button type="button" className="choice" onClick={() => void save(true)}>
                  common value
                </button>
                {failed && (
                  <p className="alarm" role="alert">
                    {failed}
                  </p>
                )}
              </div>
            )}
          </li>
        ))}
      </ul>
    </details>
  );
}
