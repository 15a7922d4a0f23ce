import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { type KeyboardEvent, type SyntheticEvent, useEffect, useLayoutEffect, useRef, useState } from "react";
import { Link as RouterLink } from "react-router";
import { type Account, type EntryInput, type EntryKind, type Line, Problem, type Product, api } from "../api/client";
import { timeNow } from "../frame/clock";
import { useEscape } from "../frame/keys";
import { keepUnsent, sendable } from "../frame/outbox";
import { useSettled } from "../frame/settled";
import { usePerson } from "../people/session";
import { dayTime, numberExample, shortDay } from "../words/figures";
import { kindNames } from "../words/names";
import {
  type Draft,
  type FieldErrors,
  bodyName,
  newId,
  rowPointer,
  rememberUnits,
  specOf,
  valuesFrom,
  toEntry,
  valuesOf,
} from "./draft";
import { EffectOf } from "./EffectOf";
import { FieldOf } from "./FieldOf";
import { allGood, inMillimetres } from "./kinds";
import { DateField } from "./DateField";
import { dropDraft, keepDraft, keptDraft } from "./kept";
import { TextField, Tick } from "./fields";
import { Submit } from "../frame/Submit";

/** What the form is opened for. */
export interface Writing {
  readonly kind: EntryKind;
  readonly preset?: Readonly<Record<string, string>>;
  /** The line that is written anew, or that is struck. */
  readonly line?: Line;
  /** What would balance the books. */
  readonly balance?: { readonly at: string; readonly why: string };
}

function begin(w: Writing): Draft {
  const values = { ...w.preset };
  if (w.line && w.kind === "strike") values.entry = w.line.id;
  else if (w.line && !w.balance) Object.assign(values, valuesFrom(w.line.body[bodyName(w.kind)] ?? {}));
  if ("over" in values && !("mark" in values)) values.mark = inMillimetres;
  const at = w.balance?.at ?? (w.line && w.kind !== "strike" ? w.line.at : "");
  return {
    kind: w.kind,
    when: at ? at : "",
    values,
    strikes: w.line && w.kind !== "strike" ? w.line.id : undefined,
    why: w.balance?.why ?? "",
  };
}

/** Kinds of which one entry follows another; a form of any other kind closes once it is recorded. */
const repeated: ReadonlySet<EntryKind> = new Set<EntryKind>([
  "freeze_test",
  "top_up",
  "level_check",
  "meter",
  "renewal",
  "loss",
  "cap_test",
  "hose_check",
  "inspection",
  "chemistry_test",
  "dose",
  "extender",
  "additive_filter",
  "pressure_test",
  "zero_check",
  "defect_opened",
  "note",
]);

interface Props {
  account: Account;
  writing: Writing;
  /** The part of the address that opens this form: its draft is kept under it. */
  form: string;
  /** Closes the form; said is what was done. */
  onClose: (said?: string) => void;
}

/** Writes one entry; gives what it will do while it is being typed, by asking the server. */
export function EntryForm({ account, writing, form: opener, onClose }: Props) {
  const person = usePerson().email;
  const code = account.unit.code;
  const [kept] = useState(() => keptDraft(person, code, opener));
  const [draft, setDraft] = useState<Draft>(() => kept?.draft ?? begin(writing));
  const [changed, setChanged] = useState(kept !== undefined);
  const [restored, setRestored] = useState(kept?.changed ?? "");
  const [ids, setIds] = useState(newIds);
  const [written, setWritten] = useState("");
  const [asking, setAsking] = useState(false);
  /** When it was recorded first: it stays the moment of an entry that is sent again. */
  const pressed = useRef<Date>(undefined);
  const sending = useRef(false);
  const form = useRef<HTMLFormElement>(null);
  const queries = useQueryClient();
  const products = useQuery({
    queryKey: ["products"],
    queryFn: ({ signal }) => api.products(signal),
    staleTime: 60_000,
  });
  const additives = useQuery({
    queryKey: ["additives"],
    queryFn: ({ signal }) => api.additives(signal),
    staleTime: 60_000,
  });
  const instruments = useQuery({
    queryKey: ["instruments"],
    queryFn: ({ signal }) => api.instruments(signal),
    staleTime: 60_000,
  });
  const known: readonly Product[] = products.data ?? [];
  const settled = JSON.parse(useSettled(JSON.stringify(draft))) as Draft;
  const readable = toEntry(settled, ids, account, known);
  // What a product or an additive asks for is not known before the lists of them have come.
  const uses = new Set(specOf(draft, account, known).map((f) => f.type));
  const awaited = [
    ...(uses.has("product") && products.isPending ? ["the list of products, which has not come"] : []),
    ...(uses.has("additive") && additives.isPending ? ["the list of additives, which has not come"] : []),
  ];
  const entry = "entry" in readable && awaited.length === 0 ? readable.entry : undefined;
  const preview = useQuery({
    queryKey: ["preview", code, ids.entry, settled, account.lineCount, products.dataUpdatedAt > 0],
    queryFn: ({ signal }) => {
      if (!entry) throw new Error("there is nothing to preview yet");
      return api.preview(code, entry, signal);
    },
    enabled: entry !== undefined,
    placeholderData: (previous) => previous,
    retry: false,
  });
  const write = useMutation({
    mutationFn: async (draft: Draft) => {
      pressed.current ??= timeNow();
      const now = toEntry(draft, { ...ids, at: pressed.current }, account, known);
      if ("missing" in now) throw new Error(`Missing: ${now.missing.join(", ")}.`);
      if ("errors" in now) throw new Error(Object.values(now.errors).join(" "));
      try {
        await api.write(code, now.entry);
      } catch (error) {
        if (!sendable(error)) throw error;
        // Whether it arrived or not: with its own id it is recorded once.
        await keepUnsent({ person, unit: code, entry: now.entry, what: whatOf(draft), draft: keptOf(draft) });
        return `${kindNames[draft.kind]} not sent; kept on this device; it will be recorded when the server answers.`;
      }
      return `${kindNames[draft.kind]} recorded.`;
    },
    // Without a network it fails and is kept, in place of waiting unseen.
    networkMode: "always",
    onSuccess: (said, draft) => {
      rememberUnits(draft);
      dropDraft(person, code, opener);
      void queries.invalidateQueries({ queryKey: ["account", code] });
      void queries.invalidateQueries({ queryKey: ["morning"] });
      void queries.invalidateQueries({ queryKey: ["horizon"] });
      if (writing.line || writing.balance || !repeated.has(draft.kind)) onClose(said);
      else {
        setWritten(said);
        beginAnew();
      }
    },
    onSettled: () => {
      sending.current = false;
    },
  });
  // The focus comes with the form, so that no key typed at once is lost.
  useLayoutEffect(() => focusFirst(form.current), []);
  useEffect(() => {
    // A menu that closes gives the focus back to its button a moment later.
    const again = setTimeout(() => {
      if (!form.current?.contains(document.activeElement)) focusFirst(form.current);
    }, 120);
    return () => clearTimeout(again);
  }, []);

  const keptOf = (d: Draft) => ({ kind: d.kind, form: opener, draft: d, changed: new Date().toISOString() });
  function beginAnew() {
    setIds(newIds());
    setDraft(begin(writing));
    setChanged(false);
    setAsking(false);
    setRestored("");
    pressed.current = undefined;
    focusFirst(form.current);
  }
  function change(part: Partial<Draft>) {
    setWritten("");
    write.reset();
    // What was confirmed was confirmed of what was typed by then.
    const now = { ...draft, confirmed: undefined, ...part };
    setDraft(now);
    setChanged(true);
    pressed.current = undefined;
    keepDraft(person, code, keptOf(now));
  }
  function discard() {
    dropDraft(person, code, opener);
    beginAnew();
  }
  const close = () => (changed ? setAsking(true) : onClose());
  useEscape(() => (asking ? setAsking(false) : close()));
  // Once something was recorded, the next entry begins with a change.
  const done = written !== "" && !changed;
  // By what is typed now, which Enter may follow at once; the preview waits until it is settled.
  const typed = toEntry(draft, ids, account, known);
  const ready = "entry" in typed && awaited.length === 0 && !done;
  const missing = written ? [] : [...("missing" in typed ? typed.missing : []), ...awaited];
  function submit(event: SyntheticEvent) {
    event.preventDefault();
    // Of two presses before the first is drawn, the second is none.
    if (!ready || sending.current) return;
    sending.current = true;
    write.mutate(draft);
  }
  /** Records these values with what was typed besides, in one press. */
  function record(values: Readonly<Record<string, string>>) {
    if (sending.current) return;
    sending.current = true;
    const now = { ...draft, values: { ...draft.values, ...values } };
    change(now);
    write.mutate(now);
  }
  const good = draft.strikes ? undefined : allGood(draft.kind);
  const refusal = write.error ?? (preview.isPlaceholderData ? null : preview.error);
  const errors = fieldErrors(readable, refusal, entry);
  const values = valuesOf(draft, account, known);
  const fields = specOf(draft, account, known);
  const first = fields.findIndex((f) => f.type !== "line");
  return (
    <form
      ref={form}
      className="entry-form no-print"
      onSubmit={submit}
      onKeyDown={enterOnChoice}
      aria-label="Record an entry"
      noValidate
    >
      <div className="head">
        <h2 className="strong grow">
          <span className="figures unit" data-testid="form-unit">
            {code}
          </span>
          {heading(writing)}
        </h2>
        <button type="button" className="act quiet" onClick={close}>
          close <span className="from-md-up">esc</span>
        </button>
      </div>
      {restored && (
        <p className="faint">
          What you typed {dayTime(restored)} is here again.{" "}
          <button type="button" className="act small" onClick={discard}>
            discard it
          </button>
        </p>
      )}
      {asking && (
        <div className="asking" role="alertdialog" aria-label="Close the form">
          <p>What you typed is not recorded.</p>
          <button type="button" className="act strong" autoFocus onClick={() => setAsking(false)}>
            go on typing
          </button>
          <button type="button" className="act" onClick={() => onClose()}>
            keep the draft and close
          </button>
          <button
            type="button"
            className="act"
            onClick={() => {
              dropDraft(person, code, opener);
              onClose();
            }}
          >
            discard it
          </button>
        </div>
      )}
      {good && (
        <button
          type="button"
          className="act framed all-good"
          disabled={write.isPending}
          onClick={() => record(good.values)}
        >
          record {good.words}
        </button>
      )}
      <div className="fields">
        {fields.map((f, i) => (
          <div
            key={f.name}
            data-first={i === first ? "" : undefined}
            className={f.type === "lines" ? "whole" : undefined}
          >
            <FieldOf
              spec={f}
              path={f.name}
              pointer={`/${bodyName(draft.kind)}/${f.name}`}
              values={values}
              onValues={(part) => change({ values: { ...draft.values, ...part } })}
              errors={errors}
              products={known}
              additives={additives.data ?? []}
              instruments={instruments.data ?? []}
            />
          </div>
        ))}
        {draft.strikes && (
          <TextField
            label="why the old line is struck"
            width="320px"
            maxLength={500}
            value={draft.why}
            onChange={(why) => change({ why })}
            error={errors["/strikes/why"] ?? errors["/strike/why"]}
          />
        )}
        <DateField
          label="when"
          width="200px"
          momentOf={code}
          placeholder="now, or yesterday 14:30"
          value={draft.when}
          onChange={(when) => change({ when })}
          error={errors["/at"]}
        />
      </div>
      <div className="effect" aria-live="polite">
        {numberExample() && !written && <p className="faint">Numbers are read as in {numberExample()}.</p>}
        {written && (
          <p className="strong" role="status">
            {written}
          </p>
        )}
        {!refusal && entry && preview.data && !written && <EffectOf effect={preview.data} today={account.today} />}
        {missing.length > 0 && (
          <p className="faint" data-testid="missing">
            Missing: {missing.join(", ")}. What the entry does to the account is shown once it is complete.
          </p>
        )}
        {refusal && <Unplaced error={refusal} placed={errors} />}
        {refusal && draft.kind === "release" && account.air && (
          <p>
            <RouterLink className="act framed" to="?write=level_check">
              record a cold level
            </RouterLink>{" "}
            <RouterLink className="act framed" to="?write=top_up&bled=yes">
              record a top-up, bled again
            </RouterLink>
          </p>
        )}
      </div>
      <Submit disabled={!ready || write.isPending}>
        {write.isPending ? "recording …" : draft.strikes ? "strike the old line and record this one" : "record"}
      </Submit>
      {asked(refusal) && <Tick label={asked(refusal)} checked={false} onCheck={() => change({ confirmed: true })} />}
    </form>
  );
}

/** What an entry says, for the list of those that wait. */
const whatOf = (d: Draft) =>
  [kindNames[d.kind].toLowerCase(), d.values.value ?? d.values.volume ?? d.values.meter ?? d.values.mark ?? ""]
    .join(" ")
    .trim();

const newIds = () => ({ entry: newId(), strike: newId(), at: timeNow() });

/** What is to be confirmed when all that was refused are questions; it names the figures. */
function asked(refusal: Error | null): string {
  if (!(refusal instanceof Problem) || refusal.fields.length === 0) return "";
  if (!refusal.fields.every((f) => f.question)) return "";
  return `Yes: ${refusal.fields.map((f) => f.detail.replace(/^is (.*) right\?$/, "$1")).join("; ")}`;
}

/** Enter writes the entry down from a choice, too; the space bar opens the choice. */
function enterOnChoice(event: KeyboardEvent<HTMLFormElement>) {
  if (event.key !== "Enter" || !(event.target instanceof HTMLSelectElement)) return;
  event.preventDefault();
  // Let go of it first, lest the key that follows opens it after all.
  event.target.blur();
  event.currentTarget.requestSubmit();
}

function focusFirst(form: HTMLFormElement | null) {
  form?.querySelector<HTMLElement>("[data-first] input, [data-first] select")?.focus();
}

function heading(w: Writing): string {
  if (w.line && w.kind === "strike") {
    return `Strike the line of ${shortDay(w.line.at)}: ${kindNames[w.line.kind]} ${w.line.text}`;
  }
  if (w.balance) return `${kindNames[w.kind]} that balances the books`;
  if (w.line) return `Correct the line of ${shortDay(w.line.at)}`;
  return kindNames[w.kind];
}

/** Field errors of the draft itself, else those the server pointed at. */
function fieldErrors(
  readable: ReturnType<typeof toEntry>,
  refusal: Error | null,
  entry: EntryInput | undefined,
): FieldErrors {
  if ("errors" in readable) return readable.errors;
  if (!(refusal instanceof Problem)) return {};
  return Object.fromEntries(
    refusal.fields.map((f) => [
      rowPointer(f.pointer, entry),
      f.question ? f.detail : f.accepted ? `${f.detail}; accepted: ${f.accepted}` : f.detail,
    ]),
  );
}

function refusalOf(error: Error, placed: FieldErrors): string {
  if (!(error instanceof Problem) || error.fields.length === 0) return error.message;
  if (asked(error)) return error.fields.map((f) => `${f.detail} ${f.accepted ?? ""}`).join("; ");
  return Object.values(placed).join("; ");
}

/** What was refused, in full, since not every field it points at is shown. */
function Unplaced({ error, placed }: { error: Error; placed: FieldErrors }) {
  const plain = refusalOf(error, placed);
  // Of a preview: what is recorded without an answer is kept and sent again.
  if (sendable(error)) return <p className="faint">What it does to the account is not known yet: {plain}</p>;
  return (
    <p className="alarm">
      {asked(error) ? "Not recorded yet" : "Not recorded"}: {plain}
    </p>
  );
}
