import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { type ChangeEvent, useRef, useState } from "react";
import { Link as RouterLink, useNavigate, useParams } from "react-router";
import { Problem, type Schemas, api } from "../api/client";
import { SelectField, Tick } from "../account/fields";
import { Frame } from "../frame/Frame";
import { Failed, Waiting } from "../frame/State";
import { usePerson } from "../people/session";
import { dayTime, figure } from "../words/figures";
import { RegisterIndex } from "./RegisterIndex";

type Run = Schemas["ImportRun"];
type Options = Schemas["ImportOptions"];

/** States in which the server works on an import. */
const working = ["checking", "running", "cancelling", "reversing"];

/** The imports of spreadsheets, and a new one. */
export function ImportsPage() {
  const person = usePerson();
  const navigate = useNavigate();
  const chooser = useRef<HTMLInputElement>(null);
  const imports = useQuery({ queryKey: ["imports"], queryFn: ({ signal }) => api.imports(signal) });
  const upload = useMutation({
    mutationFn: (file: File) => api.uploadImport(file),
    onSuccess: ({ id }) => navigate(`/import/${id}`),
  });
  const problem = upload.error instanceof Problem ? upload.error.refusalOf("/file") : undefined;
  return (
    <Frame title="Import" head="units and their history from a spreadsheet" here="register">
      <RegisterIndex here="import" />
      {person.role !== "coordinator" ? (
        <p className="wait">Imports are the coordinator’s.</p>
      ) : (
        <div style={{ maxWidth: "900px" }}>
          <p style={{ padding: "12px 0 8px" }}>
            A list of units, a list with “last changed” and “last odometer”, or a history with a line for each event:
            CSV or XLSX, in any order of columns, at most 32 MB. It is checked first; nothing is taken before you say
            so.
          </p>
          <label className="solid link-button upload">
            {upload.isPending ? "uploading …" : "choose a spreadsheet"}
            <input
              ref={chooser}
              type="file"
              className="hidden-label"
              aria-label="Spreadsheet to import"
              accept=".csv,.txt,.tsv,.xlsx,text/csv,application/vnd.openxmlformats-officedocument.spreadsheetml.sheet"
              disabled={upload.isPending}
              onChange={(event: ChangeEvent<HTMLInputElement>) => {
                const file = event.target.files?.[0];
                if (file) upload.mutate(file);
                event.target.value = "";
              }}
            />
          </label>
          <p aria-live="polite" className="alarm" style={{ minHeight: "24px", paddingTop: "6px" }}>
            {upload.error && (problem ?? upload.error.message)}
          </p>
          <div className="heading">
            <h2>Imports so far</h2>
            <span className="figures">{imports.data && figure(imports.data.length)}</span>
          </div>
          {imports.isPending && <Waiting what="the imports" />}
          {imports.error && <Failed error={imports.error} again={() => void imports.refetch()} />}
          {imports.data?.length === 0 && (
            <p className="faint" style={{ padding: "8px 0" }}>
              No spreadsheet was imported yet.
            </p>
          )}
          <ul>
            {imports.data?.map((i) => (
              <li key={i.id} className="history-line">
                <span className="figures">{dayTime(i.at)}</span>
                <span className="strong">{i.who}</span>
                <span className="what">
                  <RouterLink className="link" to={`/import/${i.id}`}>
                    {i.name}
                  </RouterLink>
                </span>
                <span className="faint">{i.stateText}</span>
              </li>
            ))}
          </ul>
        </div>
      )}
    </Frame>
  );
}

/** One import: its columns, the dry run with what is asked, and what came of it. */
export function ImportPage() {
  const { id = "" } = useParams();
  const run = useQuery({
    queryKey: ["import", id],
    queryFn: ({ signal }) => api.import(Number(id), signal),
    refetchInterval: (query) => (working.includes(query.state.data?.state ?? "") ? 700 : false),
  });
  return (
    <Frame title="Import" head={run.data?.name ?? ""} here="register">
      <RegisterIndex here="import" />
      {run.isPending && <Waiting what="the import" />}
      {run.error && <Failed error={run.error} again={() => void run.refetch()} />}
      {run.data && <OneImport key={run.data.id} run={run.data} />}
    </Frame>
  );
}

function OneImport({ run }: { run: Run }) {
  const queries = useQueryClient();
  const [columns, setColumns] = useState(() => run.columns.map((c) => c.target));
  const [options, setOptions] = useState<Options>(run.options);
  const after = async (now: Run) => {
    queries.setQueryData(["import", String(run.id)], now);
    await queries.invalidateQueries({ queryKey: ["imports"] });
  };
  const check = useMutation({ mutationFn: () => api.checkImport(run.id, { columns, options }), onSuccess: after });
  const act = useMutation({
    mutationFn: (what: "run" | "cancel" | "reverse") => api.actImport(run.id, what),
    onSuccess: async (now) => {
      await after(now);
      await queries.invalidateQueries();
    },
  });
  const busy = working.includes(run.state) || check.isPending || act.isPending;
  const editable = ["uploaded", "checked", "failed"].includes(run.state);
  const stale =
    JSON.stringify(columns) !== JSON.stringify(run.columns.map((c) => c.target)) ||
    JSON.stringify(options) !== JSON.stringify(run.options);
  const error = check.error ?? act.error;
  const { counts } = run;
  return (
    <div style={{ maxWidth: "1180px" }}>
      <p style={{ padding: "10px 0" }}>
        <b>{run.stateText}</b>
        <span className="faint"> · {run.shape}</span>
        {run.error && <span className="alarm"> · {run.error}</span>}
      </p>
      {working.includes(run.state) && (
        <p aria-live="polite">
          <progress max={Math.max(1, run.total)} value={run.state === "checking" ? undefined : run.done} />{" "}
          {run.state !== "checking" && (
            <span className="figures">
              {figure(run.done)} of {figure(run.total)} units
            </span>
          )}{" "}
          {run.state === "running" && (
            <button type="button" className="act framed" disabled={act.isPending} onClick={() => act.mutate("cancel")}>
              cancel and reverse it
            </button>
          )}
        </p>
      )}
      {counts && <Counts counts={counts} state={run.state} />}
      {editable && run.questions.length > 0 && (
        <section className="section" aria-label="Asked about this file">
          <div className="heading">
            <h2>Asked about this file</h2>
          </div>
          {run.questions.map((q) => (
            <QuestionLine key={`${q.code} ${q.about}`} question={q} options={options} onAnswer={setOptions} />
          ))}
        </section>
      )}
      {editable && run.doubtful > 0 && (
        <Tick
          label={`what is unusual is meant: take these ${figure(run.doubtful)} rows as well`}
          checked={options.doubtful ?? false}
          onCheck={(on) => setOptions({ ...options, doubtful: on })}
        />
      )}
      {editable && (
        <p className="buttons-row" style={{ paddingBottom: "12px" }}>
          <button
            type="button"
            className={stale || run.state !== "checked" ? "solid" : "act framed"}
            disabled={busy}
            onClick={() => check.mutate()}
          >
            {run.state === "uploaded" ? "check: a dry run" : "check again"}
          </button>
          {run.state === "checked" && (
            <button
              type="button"
              className={stale ? "act framed" : "solid"}
              disabled={busy || stale || !counts || counts.unitsNew + counts.unitsChanged + counts.unitsSame === 0}
              onClick={() => act.mutate("run")}
            >
              take the good rows
            </button>
          )}
          {run.refused > 0 && <RestLink run={run} />}
          {run.state === "failed" && run.done > 0 && (
            <button type="button" className="act framed" disabled={busy} onClick={() => act.mutate("reverse")}>
              reverse what it brought
            </button>
          )}
        </p>
      )}
      {run.state === "done" && (
        <p className="buttons-row" style={{ paddingBottom: "12px" }}>
          <RouterLink className="solid link-button" to="/">
            open the Morning
          </RouterLink>
          {run.refused > 0 && <RestLink run={run} />}
          <button type="button" className="act framed" disabled={busy} onClick={() => act.mutate("reverse")}>
            reverse this import
          </button>
        </p>
      )}
      {error && (
        <p className="alarm" role="alert">
          {error instanceof Problem && error.fields[0]
            ? (error.refusalOf(error.fields[0].pointer) ?? error.message)
            : error.message}
        </p>
      )}
      {run.claims.length > 0 && <Claims claims={run.claims} />}
      {run.problems.length > 0 && <Problems run={run} />}
      <Columns run={run} columns={columns} editable={editable && !busy} onChange={setColumns} />
    </div>
  );
}

const RestLink = ({ run }: { run: Run }) => (
  <a className="act framed" href={`/api/v1/imports/${run.id}/rest`} download>
    the {figure(run.refused)} rows not taken, with reasons
  </a>
);

function Counts({ counts, state }: { counts: Schemas["ImportCounts"]; state: Run["state"] }) {
  const rows: readonly (readonly [string, number])[] = [
    ["units new", counts.unitsNew],
    ["units changed", counts.unitsChanged],
    ["units the same", counts.unitsSame],
    ["entries new", counts.entriesNew],
    ["entries the same", counts.entriesSame],
    ["rows not taken", counts.rowsRefused],
  ];
  return (
    <dl
      className="import-counts"
      aria-label={state === "checked" ? "What it would bring" : "What it brought"}
      data-state={state}
    >
      {rows.map(([label, n]) => (
        <div key={label}>
          <dt>{label}</dt>
          <dd className={label === "rows not taken" && n > 0 ? "figures alarm" : "figures"}>{figure(n)}</dd>
        </div>
      ))}
    </dl>
  );
}

/** An answer put into the options. */
function answered(options: Options, q: Schemas["ImportQuestion"], answer: string): Options {
  switch (q.code) {
    case "plan":
      return { ...options, plans: { ...options.plans, [q.about]: answer } };
    case "type":
      return { ...options, types: { ...options.types, [q.about]: answer } };
    case "products":
      return { ...options, products: { ...options.products, [q.about]: answer } };
    case "mix":
      return { ...options, mix: Number(answer) };
    default:
      return { ...options, [q.code]: answer };
  }
}

function answerOf(options: Options, q: Schemas["ImportQuestion"]): string | undefined {
  switch (q.code) {
    case "plan":
      return options.plans?.[q.about];
    case "type":
      return options.types?.[q.about];
    case "products":
      return options.products?.[q.about];
    case "mix":
      return options.mix === undefined ? undefined : String(options.mix);
    default: {
      const value = options[q.code as keyof Options];
      return typeof value === "string" ? value : undefined;
    }
  }
}

function QuestionLine(p: {
  question: Schemas["ImportQuestion"];
  options: Options;
  onAnswer: (options: Options) => void;
}) {
  const { question } = p;
  return (
    <div className="import-question" data-question={`${question.code} ${question.about}`.trim()}>
      <span>
        {question.text} <span className="faint">({figure(question.rows)} rows wait)</span>
      </span>
      {question.choices.length === 0 ? (
        <span className="alarm">The register has none yet: add one first.</span>
      ) : (
        <SelectField
          label={question.text}
          hidden
          width="330px"
          value={answerOf(p.options, question) ?? "?"}
          options={[["?", "choose"], ...question.choices.map((c) => [c.code, c.label] as const)]}
          onChange={(answer) => answer !== "?" && p.onAnswer(answered(p.options, question, answer))}
        />
      )}
    </div>
  );
}

function Problems({ run }: { run: Run }) {
  return (
    <section className="section" aria-label="Cells that are not taken">
      <div className="heading">
        <h2>Cells that are not taken</h2>
        <span className="figures">
          {figure(run.problems.length)} in {figure(run.refused)} rows
        </span>
      </div>
      <div className="scrolled" tabIndex={0} role="region" aria-label="Cells that are not taken, in a table">
        <table className="rows" aria-label="Cells that are not taken">
          <thead>
            <tr>
              {["row", "column", "value", "accepted"].map((h) => (
                <th key={h}>{h}</th>
              ))}
            </tr>
          </thead>
          <tbody>
            {run.problems.map((one, i) => (
              <tr key={i}>
                <td className="figures tight">{one.row}</td>
                <td className="tight">{one.column}</td>
                <td>{one.value === "" ? <span className="faint">nothing</span> : one.value}</td>
                <td>
                  {one.accepted}
                  {one.doubtful && <span className="faint"> · unusual: taken when it is meant</span>}
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      </div>
    </section>
  );
}

function Claims({ claims }: { claims: Run["claims"] }) {
  return (
    <section className="section" aria-label="Next due: the file and the books">
      <div className="heading">
        <h2>Next due: what the file said and what the books say</h2>
        <span className="figures">{figure(claims.length)}</span>
      </div>
      <div className="scrolled" tabIndex={0} role="region" aria-label="Next due, in a table">
        <table className="rows" aria-label="Next due">
          <thead>
            <tr>
              {["unit", "the file", "the books", "why"].map((h) => (
                <th key={h}>{h}</th>
              ))}
            </tr>
          </thead>
          <tbody>
            {claims.map((c) => (
              <tr key={c.unit.code} data-claim={c.unit.code}>
                <td className="tight">
                  <RouterLink className="code figures" to={`/units/${encodeURIComponent(c.unit.code)}`}>
                    {c.unit.code}
                  </RouterLink>
                </td>
                <td className="figures tight">{c.claimed}</td>
                <td className="figures tight">{c.books}</td>
                <td>{c.reason}</td>
              </tr>
            ))}
          </tbody>
        </table>
      </div>
    </section>
  );
}

function Columns(p: {
  run: Run;
  columns: readonly string[];
  editable: boolean;
  onChange: (columns: string[]) => void;
}) {
  const { run, columns } = p;
  const label = new Map(run.targets.map((t) => [t.code, `${t.label} · ${t.group}`]));
  return (
    <section className="section" aria-label="Columns of the file">
      <div className="heading">
        <h2>Columns of the file</h2>
        <span className="figures">{figure(run.columns.length)}</span>
      </div>
      {run.columns.map((c, i) => (
        <div key={i} className="import-column" data-column={c.head}>
          <span className="strong">{c.head || <span className="faint">no heading</span>}</span>
          <span className="faint cut" title={c.samples.join(" · ")}>
            {c.samples.join(" · ") || "nothing in the first rows"}
          </span>
          {p.editable ? (
            <SelectField
              label={`what the column ${c.head} is`}
              hidden
              width="100%"
              value={columns[i] ?? ""}
              options={[["", "left out"], ...run.targets.map((t) => [t.code, `${t.label} · ${t.group}`] as const)]}
              onChange={(target) => p.onChange(columns.map((before, j) => (j === i ? target : before)))}
            />
          ) : (
            <span>{label.get(columns[i] ?? "") ?? <span className="faint">left out</span>}</span>
          )}
        </div>
      ))}
    </section>
  );
}
