import { useMutation, useQuery } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { useSearchParams } from "react-router";
import { Problem, type Schemas, api } from "../api/client";
import { SelectField, TextField } from "../account/fields";
import { Cautions } from "../frame/Cautions";
import { Frame } from "../frame/Frame";
import { useSettled } from "../frame/settled";
import { Failed, Waiting } from "../frame/State";
import { CurveDrawing } from "./CurveDrawing";
import { type UnitSystem, systemNames, useUnitSystem } from "./units";

type Question = Schemas["Question"];
type Field = Schemas["Field"];
type Answer = Schemas["Answer"];

/** What was given so far, by name; "q", "units" and "unit" among it. */
type Given = Readonly<Record<string, string>>;

/**
 * What was given, begun from the address and written back to it once it has stood still for a moment, so that the
 * address reopens the same sum and no key typed meanwhile is lost.
 */
function useGiven(): [Given, (part: Given) => void] {
  const [params, setParams] = useSearchParams();
  const [given, setGiven] = useState<Given>(() => Object.fromEntries(params));
  const settled = useSettled(JSON.stringify(given));
  useEffect(() => {
    setParams(JSON.parse(settled) as Given, { replace: true });
    // setParams is made anew at each change of the address; only what settled counts.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [settled]);
  return [given, (part) => setGiven((before) => ({ ...before, ...part }))];
}

/** What the address holds beside what was typed. */
const ours: ReadonlySet<string> = new Set(["q", "units", "unit"]);

/** The calculator: a question first, then what it has to be given, and the answer as you type. Its state is its address. */
export function BenchPage() {
  const questions = useQuery({
    queryKey: ["bench"],
    queryFn: ({ signal }) => api.questions(signal),
    staleTime: Number.POSITIVE_INFINITY,
  });
  const [given, give] = useGiven();
  const [units, chooseUnits] = useUnitSystem(given.units ?? null);
  const question = questions.data?.find((q) => q.name === given.q) ?? questions.data?.[0];
  // What was typed is converted, so that it means the same in the other units.
  const turn = useMutation({
    mutationFn: async (to: UnitSystem) => {
      const typed = Object.fromEntries(Object.entries(given).filter(([name]) => !ours.has(name)));
      const { inputs } = await api.convert(question?.name ?? "", units, to, typed);
      return { ...inputs, units: to };
    },
    onSuccess: (part) => {
      chooseUnits(part.units);
      give(part);
    },
  });
  const head = given.unit ? `filled in from the account of ${given.unit}` : "every coolant sum, with its source";
  return (
    <Frame title="Bench" head={head} here="bench">
      {questions.isPending && <Waiting what="the Bench" />}
      {questions.error && <Failed error={questions.error} again={() => void questions.refetch()} />}
      {question && questions.data && (
        <div className="bench">
          <div className="asked">
            <Asked questions={questions.data} current={question} ask={(q) => give({ q })} />
            <div className="units">
              <SelectField
                label="read and written in"
                value={units}
                options={systemNames}
                onChange={(s: UnitSystem) => turn.mutate(s)}
                error={turn.error?.message}
              />
            </div>
          </div>
          <Sum
            key={question.name}
            question={question}
            units={units}
            given={given}
            change={(name, value) => give({ q: question.name, units, [name]: value })}
          />
        </div>
      )}
    </Frame>
  );
}

/** The questions; each keeps what was given so far. On a narrow screen, a choice. */
function Asked({
  questions,
  current,
  ask,
}: {
  questions: readonly Question[];
  current: Question;
  ask: (q: string) => void;
}) {
  return (
    <>
      <div className="to-lg-down">
        <SelectField
          label="question"
          value={current.name}
          options={questions.map((q) => [q.name, q.title] as const)}
          onChange={ask}
        />
      </div>
      <ul className="questions" aria-label="Questions">
        {questions.map((q) => (
          <li key={q.name}>
            <button
              type="button"
              data-line=""
              aria-current={q.name === current.name ? "true" : undefined}
              onClick={() => ask(q.name)}
            >
              {q.title}
            </button>
          </li>
        ))}
      </ul>
    </>
  );
}

interface SumProps {
  question: Question;
  units: UnitSystem;
  given: Given;
  change: (name: string, value: string) => void;
}

function Sum({ question, units, given, change }: SumProps) {
  const valueOf = (f: Field) => given[f.name] ?? f.initials[units];
  const shown = question.fields.filter((f) => {
    const by = question.fields.find((o) => o.name === f.shownBy);
    return !by || (f.shownFor ?? []).includes(valueOf(by));
  });
  const inputs: Record<string, string> = {};
  for (const f of shown) {
    const text = given[f.name];
    if (text !== undefined) inputs[f.name] = text;
  }
  const settled = useSettled(JSON.stringify(inputs));
  const answer = useQuery({
    queryKey: ["bench", question.name, units, settled],
    queryFn: ({ signal }) => api.ask(question.name, units, JSON.parse(settled) as Record<string, string>, signal),
    placeholderData: (previous) => previous,
    retry: false,
  });
  const errors: Record<string, string> = {};
  if (answer.error instanceof Problem) {
    for (const f of answer.error.fields) {
      errors[f.pointer.replace("/inputs/", "")] = f.accepted ? `${f.detail}; accepted: ${f.accepted}` : f.detail;
    }
  }
  return (
    <div className="sum">
      <div className="asks">
        <h2>{question.title}</h2>
        <div className="inputs">
          {shown.map((f) => (
            <div key={f.name} className={isLong(f, units) ? "long" : undefined}>
              {f.options.length > 0 ? (
                <SelectField
                  label={f.label}
                  width="100%"
                  value={valueOf(f)}
                  options={f.options.map((o) => [o.value, o.label] as const)}
                  onChange={(v) => change(f.name, v)}
                  error={errors[f.name]}
                />
              ) : (
                <TextField
                  label={f.units[units] ? `${f.label}, ${f.units[units]}` : f.label}
                  hint={f.hint}
                  width="100%"
                  maxLength={400}
                  value={valueOf(f)}
                  onChange={(v) => change(f.name, v)}
                  error={errors[f.name]}
                />
              )}
            </div>
          ))}
        </div>
        <div className="answer" aria-live="polite" data-testid="answer">
          {answer.error && Object.keys(errors).length === 0 && <Failed error={answer.error} />}
          {answer.error && Object.keys(errors).length > 0 && (
            <p className="alarm">No answer yet: see the field marked above.</p>
          )}
          {answer.data && !answer.error && <Worded answer={answer.data} />}
        </div>
      </div>
      <div className="shown">
        {answer.data?.curve && !answer.error && <CurveDrawing curve={answer.data.curve} />}
        <Cautions lines={question.cautions} />
      </div>
    </div>
  );
}

/** Whether a field needs the room of two to be read. */
function isLong(f: Field, units: UnitSystem): boolean {
  return (
    Math.max(
      f.initials[units].length,
      f.label.length + f.units[units].length - 4,
      (f.hint?.length ?? 0) / 2,
      ...f.options.map((o) => o.label.length),
    ) > 18
  );
}

/** The answer, its figures, what to mind, and the sum laid open. */
function Worded({ answer }: { answer: Answer }) {
  const [open, setOpen] = useState(false);
  return (
    <>
      <p className="headline" data-testid="headline">
        {answer.headline}
        {answer.read && answer.read.length > 0 && (
          <span className="read" data-testid="read">
            Read as: {answer.read.map((l) => `${l.label} ${l.text}`).join(" · ")}
          </span>
        )}
      </p>
      <dl>
        {answer.lines.map((l, i) => (
          <div key={`${l.label} ${i}`} className="figure-line">
            <dt>{l.label}</dt>
            <dd>{l.text}</dd>
          </div>
        ))}
      </dl>
      {answer.warnings.length > 0 && (
        <ul className="minded">
          {answer.warnings.map((w) => (
            <li key={w}>{w}</li>
          ))}
        </ul>
      )}
      <div className="flex" style={{ gap: "10px", marginTop: "12px" }}>
        <button type="button" className="act line strong" aria-expanded={open} onClick={() => setOpen(!open)}>
          show the sum
        </button>
        <CopyLink />
      </div>
      {open && (
        <>
          <ol data-testid="steps">
            {answer.steps.map((s, i) => (
              <li key={`${s.what} ${i}`} className="step">
                <b>{s.what}</b>: {s.formula}
                {s.numbers && <div className="figures">{s.numbers}</div>}
                <p className="small faint">{s.source}</p>
              </li>
            ))}
          </ol>
          <p className="small">
            <a className="link" href="/docs/bench">
              how these sources were transcribed, and what is not confirmed
            </a>
          </p>
        </>
      )}
    </>
  );
}

function CopyLink() {
  const [state, setState] = useState<"ready" | "copied" | "refused">("ready");
  const words = { ready: "copy a link to this sum", copied: "copied", refused: "copy it from the address line" };
  return (
    <button
      type="button"
      className="act quiet"
      onClick={() => {
        navigator.clipboard.writeText(window.location.href).then(
          () => setState("copied"),
          () => setState("refused"),
        );
      }}
    >
      {words[state]}
    </button>
  );
}
