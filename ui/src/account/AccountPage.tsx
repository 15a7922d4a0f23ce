import { unitOfAddress } from "../marks/UnitCode";
import { useQuery } from "@tanstack/react-query";
import { type ReactNode, useEffect, useMemo, useRef, useState } from "react";
import { Link as RouterLink, useNavigate, useParams, useSearchParams } from "react-router";
import { type Account, type EntryKind, type Line, api } from "../api/client";
import { Cautions } from "../frame/Cautions";
import { Frame } from "../frame/Frame";
import { type Key, useEscape } from "../frame/keys";
import { useMedia } from "../frame/media";
import { usePerson } from "../people/session";
import { Failed, Waiting } from "../frame/State";
import { Vial } from "../marks/Vial";
import { asTyped, celsius, dayTime, figure, kilopascals, longDay } from "../words/figures";
import { kindNames, verdictWords } from "../words/names";
import { Circuits } from "./Circuits";
import { Clocks } from "./Clocks";
import { bodyName, valuesFrom } from "./draft";
import { EntryForm, type Writing } from "./EntryForm";
import { type Way, moreWays, ways } from "./kinds";
import { Blended, LedgerPage, LedgerTools, useLedger } from "./LedgerPage";
import { dropDraft, useKeptDrafts } from "./kept";
import { ProtectionDrawing } from "./ProtectionDrawing";
import { Discrepancy, Standing } from "./Standing";

/** What is being written, as the address has it; undefined while a line that it names has not come. */
function writingOf(
  query: URLSearchParams,
  account: Account | undefined,
  lineOf: (id: string | null | undefined) => Line | undefined,
): Writing | undefined {
  const kind = query.get("write");
  if (!account || kind === null || !(kind in kindNames)) return undefined;
  const line = lineOf(query.get("line"));
  if (query.get("line") !== null && !line) return undefined;
  const balance = line?.explanations?.[Number(query.get("balance") ?? "-1")];
  if (line && balance?.balance) {
    const b = balance.balance;
    const struck = lineOf(b.strikes);
    if (b.strikes && !struck) return undefined;
    return {
      kind: b.kind,
      preset: valuesFrom(b.body[bodyName(b.kind)] ?? {}),
      line: struck,
      balance: { at: b.at, why: struck ? balance.text : "" },
    };
  }
  return { kind: kind as EntryKind, line, preset: presetOf(query) };
}

/** What the address gives of a form beside its kind. */
const presets = ["with", "emptied", "bled"] as const;

const presetOf = (query: URLSearchParams): Record<string, string> =>
  Object.fromEntries(
    presets.flatMap((name) => {
      const values = query.get(name);
      return values ? [[name, values]] : [];
    }),
  );

/** One unit's account: the ledger page, its clocks, and a line to write. */
export function AccountPage() {
  const { code = "" } = useParams();
  const [query, setQuery] = useSearchParams();
  const [choosing, setChoosing] = useState(false);
  const [said, setSaid] = useState("");
  const only = query.get("kind") ?? "";
  const person = usePerson();
  const account = useQuery({ queryKey: ["account", code], queryFn: ({ signal }) => api.account(code, signal) });
  const data = account.data;
  // A unit with several circuits has an account for each: the address names the one that is shown.
  const navigate = useNavigate();
  const canonical = data?.unit.code;
  useEffect(() => {
    if (canonical !== undefined && canonical !== code) {
      void navigate(
        { pathname: `/units/${encodeURIComponent(canonical)}`, search: window.location.search },
        { replace: true },
      );
    }
  }, [canonical, code, navigate]);
  const mayWrite = person.role !== "reader";
  const ledger = useLedger(data, code, only);
  const known = useMemo(() => {
    const all = new Map(ledger.lines.map((l) => [l.id, l]));
    if (data?.discrepancy) all.set(data.discrepancy.line, data.discrepancy.test);
    return all;
  }, [ledger.lines, data]);
  // Lines that the address names and that are older than those that have come.
  const named = query.get("line") ?? "";
  const strikes = known.get(named)?.explanations?.[Number(query.get("balance") ?? "-1")]?.balance?.strikes ?? "";
  const missing = [named, strikes].filter((id) => id !== "" && !known.has(id));
  const older = useQuery({
    queryKey: ["account", code, "named", ...missing],
    queryFn: ({ signal }) => api.lines(code, { ids: missing }, signal),
    enabled: data !== undefined && missing.length > 0,
  });
  const lineOf = (id: string | null | undefined) =>
    id ? (known.get(id) ?? older.data?.lines.find((l) => l.id === id)) : undefined;
  const writing = mayWrite ? writingOf(query, data, lineOf) : undefined;
  const go = useMemo(() => {
    const set = (values: Record<string, string>) => {
      setChoosing(false);
      if (values.write) setSaid("");
      setQuery((before) => ({ ...(before.get("kind") ? { kind: before.get("kind") ?? "" } : {}), ...values }), {
        replace: true,
      });
    };
    return {
      write: (w: Way) => set({ write: w.kind, ...w.preset }),
      correct: (l: Line) => set({ write: l.kind, line: l.id }),
      strike: (l: Line) => set({ write: "strike", line: l.id }),
      balance: (l: Line, n: number) => set({ write: "note", line: l.id, balance: String(n) }),
      close: () => set({}),
    };
  }, [setQuery]);
  useEscape(() => setChoosing(false));
  const keys = useMemo<Key[]>(() => {
    if (!mayWrite) return [];
    const onLine = (act: (l: Line) => void) => () => {
      const id = (document.activeElement as HTMLElement | null)?.dataset.id;
      const line = id ? known.get(id) : undefined;
      if (line && !line.struck && line.kind !== "strike") act(line);
    };
    const choose = (list: readonly Way[]) => list.map((w) => ({ key: w.key, does: w.words, run: () => go.write(w) }));
    if (choosing) return [...choose(moreWays), ...choose(ways)];
    return [
      ...choose(ways),
      { key: "n", does: "any other entry: then the letter of its kind", run: () => setChoosing(true) },
      { key: "c", does: "correct the line: strike it and record it again", run: onLine(go.correct) },
      { key: "x", does: "strike the line", run: onLine(go.strike) },
    ];
  }, [mayWrite, choosing, go, known]);
  const writingKey = [code, ...["write", "line", "balance", ...presets].map((name) => query.get(name) ?? "")].join(" ");
  const opener = new URLSearchParams(
    ["write", "line", "balance", ...presets].flatMap((name) => {
      const value = query.get(name);
      return value === null ? [] : [[name, value]];
    }),
  ).toString();
  // A form that closes takes the focus with it: to what was done, else to the page. On a button a second Enter would act.
  const done = useRef<HTMLParagraphElement>(null);
  const wrote = useRef(false);
  const open = writing !== undefined;
  useEffect(() => {
    if (wrote.current && !open && document.activeElement === document.body) {
      (done.current ?? document.getElementById("page"))?.focus({ preventScroll: true });
    }
    wrote.current = open;
  }, [open]);
  // On a phone the form takes the place of the drawing.
  const roomy = useMedia("(min-width: 48rem)");
  const wide = useMedia("(min-width: 80rem)");
  const tools = data && data.lineCount > 0 && (
    <LedgerTools
      account={data}
      ledger={ledger}
      only={only}
      onOnly={(kind) => setQuery(kind ? { kind } : {}, { replace: true })}
    />
  );
  return (
    <Frame
      title={data?.unit.code ?? code}
      head={data && `account · ${longDay(data.today)}`}
      open={data?.unit.code ?? code}
      keys={keys}
      only={choosing}
    >
      {account.isPending && <Waiting what={`the account of ${code}`} />}
      {account.error && !data && (
        <Failed error={account.error} again={() => void account.refetch()}>
          <p className="faint">Jump to a unit above by part of its code or name.</p>
        </Failed>
      )}
      {data && (
        // Without room beside the ledger, the clocks come before the ledger.
        <div className="account">
          <div>
            {data.left && (
              <p className="notice">This unit left the fleet: {data.left}. It is in no list; its books stay.</p>
            )}
            <Circuits account={data} />
            <Opening account={data} />
            {(!writing || roomy) && <ProtectionDrawing account={data} />}
            {writing && (
              <EntryForm
                key={writingKey}
                account={data}
                writing={writing}
                form={opener}
                onClose={(said = "") => {
                  setSaid(said);
                  go.close();
                }}
              />
            )}
            {!writing && said && (
              <p className="strong no-print" role="status" tabIndex={-1} ref={done}>
                {said}
              </p>
            )}
            {mayWrite && <Drafts unit={code} open={writing ? opener : ""} onOpen={(f) => setQuery(f)} />}
            {!mayWrite && (
              <p className="faint no-print">
                You read this account. Entries are recorded by a technician, a signatory or a coordinator.
              </p>
            )}
            <div className="wrap">
              {mayWrite && (
                <Ways
                  account={data}
                  choosing={choosing}
                  open={writing?.line ? undefined : writing?.kind}
                  onChoose={setChoosing}
                  onWrite={go.write}
                />
              )}
              {wide && tools}
            </div>
          </div>
          <div className="aside">
            <Discrepancy
              account={data}
              onBalance={mayWrite ? go.balance : undefined}
              onTest={mayWrite ? () => go.write({ kind: "freeze_test", key: "f", words: "freeze test" }) : undefined}
            />
            <Clocks account={data} />
            <Standing account={data} />
            <BenchLinks account={data} />
            <p className="fine faint" style={{ marginTop: "14px" }}>
              {data.servicePlan.text}
            </p>
            <p className="fine faint" style={{ marginTop: "10px" }}>
              {data.system.text}{" "}
              <RouterLink className="link" to={`/register/unit/${encodeURIComponent(data.unit.code)}`}>
                registered facts
              </RouterLink>
            </p>
            <Cautions lines={data.cautions} />
          </div>
          <div className="ledger">
            {!wide && <div className="flex">{tools}</div>}
            <LedgerPage
              account={data}
              ledger={ledger}
              onCorrect={mayWrite ? go.correct : undefined}
              onStrike={mayWrite ? go.strike : undefined}
            />
          </div>
        </div>
      )}
    </Frame>
  );
}

/** The entries one can write: those of every day by name, all others behind one more key. */
function Ways(p: {
  account: Account;
  choosing: boolean;
  /** The kind whose form is open. */
  open?: EntryKind | undefined;
  onChoose: (on: boolean) => void;
  onWrite: (w: Way) => void;
}) {
  const usable = (w: Way) =>
    !p.account.notHere.includes(w.kind) &&
    (w.kind !== "meter" || p.account.meterUnit !== undefined) &&
    (w.kind !== "raw_water" || p.account.unit.kind === "boat") &&
    (w.kind !== "meter_change" || p.account.meterUnit !== undefined) &&
    (w.kind !== "defect_closed" || p.account.defects.length > 0) &&
    (w.kind !== "release" || p.account.mayRelease);
  return (
    <div className="no-print" role="group" aria-label="Record an entry">
      <div className="ways">
        <span className="faint from-md-up" aria-hidden="true">
          record
        </span>
        {ways.filter(usable).map((w) => (
          <WayButton key={w.key} letter={w.key} current={w.kind === p.open} onClick={() => p.onWrite(w)}>
            {w.words}
          </WayButton>
        ))}
        <WayButton letter="n" expanded={p.choosing} onClick={() => p.onChoose(!p.choosing)}>
          other
        </WayButton>
      </div>
      {p.account.notHere.length > 0 && p.account.circuits?.[0] && (
        <p className="small faint">
          Meter and lay-up are of the unit:{" "}
          <RouterLink className="link" to={`/units/${encodeURIComponent(p.account.circuits[0].code)}`}>
            {p.account.circuits[0].code}
          </RouterLink>
        </p>
      )}
      {p.choosing && (
        <div className="ways more">
          {moreWays.filter(usable).map((w) => (
            <WayButton key={w.key} letter={w.key} onClick={() => p.onWrite(w)}>
              {w.words}
            </WayButton>
          ))}
        </div>
      )}
    </div>
  );
}

/** Drafts of this unit that are kept on the device and not open. */
function Drafts(p: { unit: string; open: string; onOpen: (form: string) => void }) {
  const person = usePerson().email;
  const kept = useKeptDrafts(person, p.unit).filter((k) => k.form !== p.open);
  if (kept.length === 0) return null;
  return (
    <ul className="drafts no-print" aria-label="Not recorded yet">
      {kept.map((k) => (
        <li key={k.form}>
          Not recorded: {kindNames[k.kind].toLowerCase()}, typed {dayTime(k.changed)}{" "}
          <button type="button" className="act small" onClick={() => p.onOpen(k.form)}>
            go on<span className="hidden-label"> with the {kindNames[k.kind].toLowerCase()}</span>
          </button>{" "}
          <button type="button" className="act small" onClick={() => dropDraft(person, p.unit, k.form)}>
            discard<span className="hidden-label"> the {kindNames[k.kind].toLowerCase()}</span>
          </button>
        </li>
      ))}
    </ul>
  );
}

function WayButton(p: {
  letter: string;
  expanded?: boolean;
  current?: boolean;
  onClick: () => void;
  children: ReactNode;
}) {
  return (
    <button
      type="button"
      className="act strong"
      aria-expanded={p.expanded}
      aria-current={p.current ? "true" : undefined}
      onClick={p.onClick}
    >
      {p.children}{" "}
      <span className="letter" aria-hidden="true">
        {p.letter}
      </span>
    </button>
  );
}

function Opening({ account }: { account: Account }) {
  const governing = account.status.clocks[0];
  const age = account.balance.meanAgeMonths === undefined ? "" : months(account.balance.meanAgeMonths);
  return (
    <div className="opening" data-testid="opening">
      <Vial verdict={account.status.verdict} left={governing?.remaining} />
      <div>
        <p>
          <b>{verdictWords[account.status.verdict]}</b> · protects to{" "}
          <b data-testid="protects">{celsius(account.protectsTo)}</b>
          {account.protectsTo !== undefined && ` ${account.protectedBy}`}
          {account.mixed && " · EG and PG are mixed"}
          {age && ` · on average ${age} old`}
          {account.boilOver &&
            ` · boils at ${celsius(account.boilOver.celsius)} under ${kilopascals(account.boilOver.cap)}`}
        </p>
        <p className="faint">{account.inside}</p>
        <Blended account={account} />
      </div>
    </div>
  );
}

function months(n: number): string {
  const text = figure(n, 0);
  return text === "1" ? "1 month" : `${text} months`;
}

/** The Bench, opened with this unit's figures. */
function BenchLinks({ account }: { account: Account }) {
  const { balance, base, protectsTo } = account;
  if (protectsTo === undefined || !base) return null;
  const values = new URLSearchParams({
    unit: account.unit.code,
    base,
    strength: `${protectsTo.toFixed(1)} C`,
    capacity: `${asTyped(account.capacity)} L`,
    night: `${account.coldest.toFixed(1)} C`,
    margin: String(account.servicePlan.freezeMargin),
    // What one drain reaches is not in the register: it must be typed.
    drainable: "",
    rated: account.cap === undefined ? "" : `${account.cap} kPa`,
    units: "metric",
  });
  if (balance.litres !== undefined) values.set("volume", `${Math.min(balance.litres, account.capacity).toFixed(2)} L`);
  return (
    <p className="no-print" style={{ marginTop: "14px" }}>
      <RouterLink className="link" to={`/round?tag=${encodeURIComponent(unitOfAddress(account.unit.code))}`}>
        round of this unit
      </RouterLink>
      {" · "}
      <RouterLink className="link" to={`/job/new?unit=${encodeURIComponent(account.unit.code)}`}>
        job
      </RouterLink>
      {" · "}
      <RouterLink className="link" to={`/tags?unit=${encodeURIComponent(unitOfAddress(account.unit.code))}`}>
        label
      </RouterLink>
      {" · "}On the Bench:{" "}
      {(
        [
          ["protects", "what it protects to"],
          ["target", "bring it to target"],
          ["boil", "will it boil?"],
        ] as const
      ).map(([q, words], i) => (
        <span key={q}>
          {i > 0 && " · "}
          <RouterLink className="link" to={`/bench?q=${q}&${values}`}>
            {words}
          </RouterLink>
        </span>
      ))}
    </p>
  );
}
