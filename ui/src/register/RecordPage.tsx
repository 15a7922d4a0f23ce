import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { type SyntheticEvent, useState } from "react";
import { Link as RouterLink, useNavigate, useParams, useSearchParams } from "react-router";
import { Problem, type Schemas, api } from "../api/client";
import { NoPage } from "../NoPage";
import { DateField, unread } from "../account/DateField";
import { ButtonsField, SelectField, TextField } from "../account/fields";
import { Frame } from "../frame/Frame";
import { useSettled } from "../frame/settled";
import { Failed, Waiting } from "../frame/State";
import { Submit } from "../frame/Submit";
import { EffectOfPlan } from "../people/EffectOfPlan";
import { usePerson } from "../people/session";
import { dayTime, figure, longDay } from "../words/figures";
import { RecordForm } from "./RecordForm";
import { Circuits } from "./Circuits";
import { RegisterIndex } from "./RegisterIndex";
import { type RecordKind, type RegisterRecord, isRecordKind, kinds, recordPath, unitKinds } from "./records";

/** A record of the register with its facts and its history, or one that is to be added. */
export function RecordPage() {
  const { of, key = "" } = useParams();
  if (!isRecordKind(of)) return <NoPage />;
  return key === "new" ? <NewRecord key={of} of={of} /> : <OneRecord key={`${of} ${key}`} of={of} recordKey={key} />;
}

/** What was typed and is not as the record has it. */
const changedOf = (record: RegisterRecord, typed: Readonly<Record<string, string>>) =>
  Object.fromEntries(
    record.groups
      .flatMap((g) => g.facts)
      .filter((f) => typed[f.code] !== undefined && typed[f.code] !== f.value)
      .map((f) => [f.code, typed[f.code] ?? ""]),
  );

/** The refusal of a fact, and what is refused that no field shows. */
function refusals(error: Error | null) {
  const problem = error instanceof Problem ? error : undefined;
  return {
    of: (code: string) => problem?.refusalOf(`/facts/${code}`),
    at: (pointer: string) => problem?.refusalOf(pointer),
    questions: problem !== undefined && problem.fields.length > 0 && problem.fields.every((f) => f.question),
  };
}

function NewRecord({ of }: { of: RecordKind }) {
  const [query, setQuery] = useSearchParams();
  const kind = query.get("kind") ?? "";
  const like = query.get("like") ?? "";
  const needsKind = (of === "unit" || of === "type") && kind === "" && like === "";
  const form = useQuery({
    queryKey: ["record form", of, kind, like],
    queryFn: ({ signal }) =>
      api.recordForm(of, { ...(kind && { kind: kind as (typeof unitKinds)[number] }), ...(like && { like }) }, signal),
    enabled: !needsKind,
  });
  const { one } = kinds[of];
  return (
    <Frame title={`New ${one}`} head={like ? `like ${like}` : "register"} here="register">
      <RegisterIndex here={of} />
      {(of === "unit" || of === "type") && like === "" && (
        <div style={{ paddingTop: "12px" }}>
          <ButtonsField
            label="kind"
            value={kind}
            options={unitKinds.map((k) => [k, k] as const)}
            onChange={(k) => setQuery({ kind: k }, { replace: true })}
          />
        </div>
      )}
      {needsKind && <p className="wait">Choose the kind: it decides which facts are asked for.</p>}
      {!needsKind && form.isPending && <Waiting what="the form" />}
      {form.error && <Failed error={form.error} again={() => void form.refetch()} />}
      {form.data && <Adding key={kind} of={of} record={form.data} like={like} />}
    </Frame>
  );
}

/** The form of a record that is added; onAdded is given the numbers or names of what was. */
export function Adding(p: {
  of: RecordKind;
  record: RegisterRecord;
  like?: string;
  onAdded?: (keys: readonly string[]) => void;
}) {
  const { of, record } = p;
  const navigate = useNavigate();
  const queries = useQueryClient();
  const [typed, setTyped] = useState<Record<string, string>>({});
  const [numbers, setNumbers] = useState("");
  const facts = Object.fromEntries(
    record.groups
      .flatMap((g) => g.facts)
      .flatMap((f) => {
        const text = typed[f.code] ?? f.value;
        return text === "" ? [] : [[f.code, text]];
      }),
  );
  if (record.kind) facts.kind = record.kind;
  const add = useMutation({
    mutationFn: (confirmed: boolean) => api.addRecord(of, { facts, confirmed, ...(numbers.trim() && { numbers }) }),
    onSuccess: async ({ keys }) => {
      await queries.invalidateQueries();
      if (p.onAdded) p.onAdded(keys);
      else if (of === "unit" && keys.length === 1) void navigate(recordPath(of, keys[0] ?? ""));
      else void navigate(`/register/${of}`);
    },
  });
  const refused = refusals(add.error);
  const { one } = kinds[of];
  function submit(event: SyntheticEvent) {
    event.preventDefault();
    if (!add.isPending) add.mutate(false);
  }
  return (
    <form onSubmit={submit} aria-label={`New ${one}`} noValidate>
      <RecordForm
        record={record}
        typed={typed}
        without={["kind"]}
        refusalOf={refused.of}
        onType={(code, text) => {
          add.reset();
          setTyped({ ...typed, [code]: text });
        }}
      />
      {of === "unit" && (
        <div style={{ maxWidth: "520px", paddingTop: "12px" }}>
          <TextField
            label="more like this one: their numbers"
            value={numbers}
            hint="such as CA-60 to CA-71, CA-80; registration, serial number, tag, place and keeper are each one’s own"
            error={refused.at("/numbers")}
            onChange={(text) => {
              add.reset();
              setNumbers(text);
            }}
          />
        </div>
      )}
      <Asked error={add.error} />
      <p className="buttons-row">
        <Submit disabled={add.isPending}>add the {one}</Submit>
        {refused.questions && (
          <button type="button" className="act framed" disabled={add.isPending} onClick={() => add.mutate(true)}>
            it is meant: add it
          </button>
        )}
      </p>
    </form>
  );
}

/** What was refused, in a line below the form. */
function Asked({ error }: { error: Error | null }) {
  return (
    <div aria-live="polite" style={{ minHeight: "26px", paddingTop: "8px" }}>
      {error && (
        <p className="alarm">
          {error instanceof Problem && error.fields.length > 0
            ? `Not taken: ${error.fields.length === 1 ? "see the field that is marked" : `${error.fields.length} fields are marked`}. Nothing you typed is lost.`
            : error.message}
        </p>
      )}
    </div>
  );
}

function OneRecord({ of, recordKey }: { of: RecordKind; recordKey: string }) {
  const person = usePerson();
  const [editing, setEditing] = useState(false);
  const record = useQuery({
    queryKey: ["record", of, recordKey],
    queryFn: ({ signal }) => api.record(of, recordKey, signal),
  });
  const data = record.data;
  const { one } = kinds[of];
  const coordinator = person.role === "coordinator";
  return (
    <Frame title={data?.name ?? recordKey} head={`registered facts of this ${one}`} here="register">
      <RegisterIndex here={of} />
      {record.isPending && <Waiting what="the record" />}
      {record.error && <Failed error={record.error} again={() => void record.refetch()} />}
      {data && (
        <>
          <p className="record-links no-print">
            {of === "unit" && (
              <RouterLink className="link" to={`/units/${encodeURIComponent(data.key)}`}>
                account of {data.name}
              </RouterLink>
            )}
            {data.circuits
              .filter((address) => address !== data.name)
              .map((address) => (
                <RouterLink key={address} className="link" to={recordPath("unit", address)}>
                  {address}
                </RouterLink>
              ))}
            {of === "type" && (
              <RouterLink className="link" to={`/register/unit?text=${encodeURIComponent(data.name)}`}>
                {figure(data.units ?? 0)} {data.units === 1 ? "unit" : "units"} of this type
              </RouterLink>
            )}
            {coordinator && !editing && (
              <button type="button" className="act framed" onClick={() => setEditing(true)}>
                change
              </button>
            )}
            {coordinator && (of === "unit" || of === "type") && (
              <RouterLink className="act framed" to={`${recordPath(of, "new")}?like=${encodeURIComponent(data.key)}`}>
                add one like this
              </RouterLink>
            )}
          </p>
          {data.left && (
            <p className="notice">This unit left the fleet: {data.left}. It is in no list; its books stay.</p>
          )}
          {editing ? (
            <Editing key={data.revision} of={of} record={data} onDone={() => setEditing(false)} />
          ) : (
            <Facts record={data} />
          )}
          {data.notes.length > 0 && (
            <ul aria-label="From the books" style={{ padding: "6px 0" }}>
              {data.notes.map((note) => (
                <li key={note}>{note}</li>
              ))}
            </ul>
          )}
          {of === "site" && coordinator && !editing && <Nights id={Number(data.key)} />}
          {of === "unit" && coordinator && !editing && !data.further && (
            <>
              <Circuits record={data} />
              <Leaving record={data} />
            </>
          )}
          <History of={of} record={data} mayUndo={coordinator} />
        </>
      )}
    </Frame>
  );
}

/** The facts as they are read. What is not known says what that blocks. */
function Facts({ record }: { record: RegisterRecord }) {
  return (
    <div className="facts read">
      {record.groups.map((g) => (
        <section key={g.label} className="fact-group" aria-label={g.label}>
          <h2>{g.label}</h2>
          <dl>
            {g.facts.map((f) => (
              <div key={f.code} data-fact={f.code}>
                <dt>{f.label}</dt>
                <dd className={f.source === "unknown" ? "faint" : undefined}>
                  <span className="shown">{f.shown}</span>
                  {f.source === "type" && <span className="faint"> · of the type</span>}
                  {f.blocks && <span className="blocks">{f.blocks}</span>}
                </dd>
              </div>
            ))}
          </dl>
        </section>
      ))}
    </div>
  );
}

function Editing({ of, record, onDone }: { of: RecordKind; record: RegisterRecord; onDone: () => void }) {
  const queries = useQueryClient();
  const navigate = useNavigate();
  const [typed, setTyped] = useState<Record<string, string>>({});
  const [since, setSince] = useState<"beginning" | "day">("beginning");
  const [day, setDay] = useState("");
  const changed = changedOf(record, typed);
  const any = Object.keys(changed).length > 0;
  const from = since === "day" && day !== unread && day !== "" ? { from: day } : {};
  const dayMissing = since === "day" && (day === "" || day === unread);
  const body = { facts: changed, ...from };
  const settled = useSettled(JSON.stringify(body), 300);
  const preview = useQuery({
    queryKey: ["record preview", of, record.key, record.revision, settled],
    queryFn: ({ signal }) =>
      api.previewRecord(of, record.key, { ...(JSON.parse(settled) as typeof body), confirmed: true }, signal),
    enabled: any && !dayMissing && (of === "unit" || of === "type"),
    placeholderData: (before) => before,
    retry: false,
  });
  const save = useMutation({
    mutationFn: (confirmed: boolean) => api.changeRecord(of, record.key, record.revision, { ...body, confirmed }),
    onSuccess: async (after) => {
      queries.setQueryData(["record", of, after.key], after);
      onDone();
      if (after.key !== record.key) void navigate(recordPath(of, after.key), { replace: true });
      await queries.invalidateQueries();
    },
  });
  const stale = preview.isPlaceholderData || settled !== JSON.stringify(body);
  const refused = refusals(save.error ?? (any && !stale ? preview.error : null));
  const meanwhile = save.error instanceof Problem && save.error.status === 412;
  function submit(event: SyntheticEvent) {
    event.preventDefault();
    if (!save.isPending && any && !dayMissing) save.mutate(false);
  }
  return (
    <form onSubmit={submit} aria-label={`Change ${record.name}`} noValidate>
      <RecordForm
        record={record}
        typed={typed}
        refusalOf={refused.of}
        onType={(code, text) => {
          save.reset();
          setTyped({ ...typed, [code]: text });
        }}
      />
      <div className="since">
        {(of === "unit" || of === "type") && (
          <SelectField
            label="in effect"
            width="330px"
            value={since}
            options={[
              ["beginning", "from the beginning: it was entered wrong"],
              ["day", "from a day on: it was changed"],
            ]}
            onChange={(value) => {
              save.reset();
              setSince(value);
            }}
            error={since === "beginning" ? refused.at("/from") : undefined}
          />
        )}
        {since === "day" && <DateField label="from" value={day} onChange={setDay} error={refused.at("/from")} />}
      </div>
      {(of === "unit" || of === "type") && (
        <div aria-live="polite" style={{ minHeight: "44px", paddingTop: "8px" }} data-testid="record-effect">
          {!any && <p className="faint">Nothing is changed yet.</p>}
          {any && dayMissing && <p className="faint">Enter the day from which on it is in effect.</p>}
          {any && !dayMissing && preview.data && !preview.error && (
            <div aria-busy={stale} className={stale ? "faint" : undefined}>
              <EffectOfPlan effect={preview.data} />
            </div>
          )}
        </div>
      )}
      {meanwhile ? (
        <p className="alarm" role="alert">
          Somebody changed this record meanwhile. What you typed is still here; see what it is now, then save again.{" "}
          <button
            type="button"
            className="act line"
            onClick={() => void queries.invalidateQueries({ queryKey: ["record", of, record.key] })}
          >
            fetch it as it is now
          </button>
        </p>
      ) : (
        <Asked error={save.error} />
      )}
      <p className="buttons-row">
        <Submit disabled={!any || dayMissing || save.isPending}>save</Submit>
        {refused.questions && (
          <button type="button" className="act framed" disabled={save.isPending} onClick={() => save.mutate(true)}>
            it is meant: save
          </button>
        )}
        <button type="button" className="act" onClick={onDone}>
          close without saving
        </button>
      </p>
    </form>
  );
}

/** Nights of a site from a file, where there is no weather service. */
function Nights({ id }: { id: number }) {
  const queries = useQueryClient();
  const bring = useMutation({
    mutationFn: (file: File) => api.importNights(id, file),
    onSuccess: () => queries.invalidateQueries(),
  });
  return (
    <section className="section no-print" aria-label="Nights from a file" style={{ marginTop: "18px" }}>
      <div className="heading">
        <h2>Nights from a file</h2>
      </div>
      <p className="faint" style={{ padding: "8px 0" }}>
        CSV or XLSX with the day and its minimum in the first two columns. Three whole years or more make a curve of the
        site’s own.
      </p>
      <label className="act framed upload">
        {bring.isPending ? "uploading …" : "choose a file of nights"}
        <input
          type="file"
          className="hidden-label"
          aria-label="File of nights"
          accept=".csv,.txt,.xlsx"
          disabled={bring.isPending}
          onChange={(event) => {
            const file = event.target.files?.[0];
            if (file) bring.mutate(file);
            event.target.value = "";
          }}
        />
      </label>
      <p aria-live="polite" style={{ minHeight: "24px", paddingTop: "6px" }}>
        {bring.data && `${figure(bring.data.nights)} nights were taken; the cold of the site follows them.`}
        {bring.error && (
          <span className="alarm">
            {bring.error instanceof Problem
              ? (bring.error.refusalOf("/file") ?? bring.error.message)
              : bring.error.message}
          </span>
        )}
      </p>
    </section>
  );
}

/** Retire, sell, bring back. To lay up is an entry of the account. */
function Leaving({ record }: { record: RegisterRecord }) {
  const queries = useQueryClient();
  const [how, setHow] = useState<"retired" | "sold">();
  const [day, setDay] = useState("");
  const done = async (after: RegisterRecord) => {
    queries.setQueryData(["record", "unit", record.key], after);
    setHow(undefined);
    await queries.invalidateQueries();
  };
  const leave = useMutation({
    mutationFn: (how: "retired" | "sold") => api.leaveFleet(record.key, record.revision, { how, day }),
    onSuccess: done,
  });
  const back = useMutation({ mutationFn: () => api.returnToFleet(record.key, record.revision), onSuccess: done });
  const error = leave.error ?? back.error;
  return (
    <section className="section no-print" aria-label="In the fleet" style={{ marginTop: "18px" }}>
      <div className="heading">
        <h2>In the fleet</h2>
      </div>
      {record.left ? (
        <button type="button" className="act framed" disabled={back.isPending} onClick={() => back.mutate()}>
          bring {record.name} back
        </button>
      ) : (
        <p className="buttons-row">
          <RouterLink className="act framed" to={`/units/${encodeURIComponent(record.key)}?write=lay_up`}>
            lay up
          </RouterLink>
          <button
            type="button"
            className="act framed"
            aria-expanded={how === "retired"}
            onClick={() => setHow("retired")}
          >
            retire
          </button>
          <button type="button" className="act framed" aria-expanded={how === "sold"} onClick={() => setHow("sold")}>
            sold
          </button>
        </p>
      )}
      {how && !record.left && (
        <form
          className="asking"
          aria-label={`${record.name} ${how}`}
          noValidate
          onSubmit={(event) => {
            event.preventDefault();
            if (day !== "" && day !== unread) leave.mutate(how);
          }}
        >
          <DateField
            label={how === "sold" ? "sold on" : "retired on"}
            value={day}
            onChange={setDay}
            error={leave.error instanceof Problem ? leave.error.refusalOf("/day") : undefined}
          />
          <Submit beside disabled={day === "" || day === unread || leave.isPending}>
            {record.name} leaves the fleet
          </Submit>
          <button type="button" className="act" style={{ marginTop: "24px" }} onClick={() => setHow(undefined)}>
            leave it as it is
          </button>
        </form>
      )}
      {error && <p className="alarm">{error.message}</p>}
    </section>
  );
}

/** What was changed, by whom, from when on; what may be undone. */
function History(p: { of: RecordKind; record: RegisterRecord; mayUndo: boolean }) {
  const { of, record } = p;
  const queries = useQueryClient();
  const undo = useMutation({
    mutationFn: (id: number) => api.undoRecordChange(of, record.key, record.revision, id),
    onSuccess: async (after) => {
      queries.setQueryData(["record", of, record.key], after);
      await queries.invalidateQueries();
    },
  });
  return (
    <section className="section" aria-label="History" style={{ marginTop: "18px" }}>
      <div className="heading">
        <h2>History</h2>
        <span className="figures">{figure(record.history.length)}</span>
      </div>
      {record.history.length === 0 && (
        <p className="faint" style={{ padding: "8px 0" }}>
          Nothing was changed since it was loaded.
        </p>
      )}
      <ul>
        {record.history.map((h) => (
          <HistoryLine key={h.id} change={h} mayUndo={p.mayUndo && !undo.isPending} onUndo={() => undo.mutate(h.id)} />
        ))}
      </ul>
      {undo.error && (
        <p className="alarm" role="alert">
          {undo.error.message}
        </p>
      )}
    </section>
  );
}

function HistoryLine(p: { change: Schemas["RecordHistory"]; mayUndo: boolean; onUndo: () => void }) {
  const { change } = p;
  return (
    <li className={change.undone ? "history-line faint" : "history-line"}>
      <span className="figures" title={dayTime(change.at)}>
        {longDay(change.at)}
      </span>
      <span className="strong">{change.who}</span>
      <span className="what">
        {change.text}
        {change.lines.map((line) => (
          <span key={line} className="fact-change">
            {change.undone ? <del>{line}</del> : line}
          </span>
        ))}
      </span>
      {change.undoable && p.mayUndo && (
        <button type="button" className="act" aria-label={`undo: ${change.lines.join("; ")}`} onClick={p.onUndo}>
          undo
        </button>
      )}
    </li>
  );
}
