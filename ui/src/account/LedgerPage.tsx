import { useInfiniteQuery } from "@tanstack/react-query";
import { Suspense, memo, startTransition, useEffect, useRef, useState } from "react";
import { lazyWithChakra } from "../lazily";
import { TakeAlong } from "../frame/TakeAlong";
import { type FileFormat, download, downloadJSON } from "../words/csv";
import { flushSync } from "react-dom";
import { type Account, type EntryKind, type Line, api } from "../api/client";
import { Failed } from "../frame/State";
import {
  figure,
  inMeter,
  inTemperature,
  inVolume,
  litres,
  meterSymbol,
  nothing,
  shortDay,
  unitOf,
} from "../words/figures";
import { kindNames } from "../words/names";
import { SelectField } from "./fields";

/** How many older lines are asked for at a time. */
const more = 500;

/** Lines that are drawn with the page. */
const drawnFirst = 12;

interface Props {
  account: Account;
  ledger: Ledger;
  onCorrect?: ((line: Line) => void) | undefined;
  onStrike?: ((line: Line) => void) | undefined;
}

/** The lines of an account that have come, and the way to the older ones. */
export interface Ledger {
  /** The oldest first. */
  readonly lines: readonly Line[];
  /** Older lines that have not come. */
  readonly older: number;
  readonly waiting: boolean;
  readonly error: Error | null;
  readonly onMore: () => void;
  /** Fetches all of them. */
  readonly all: () => Promise<void>;
}

/** The newest lines come with the account; those of one kind, and the older ones, are asked for. */
export function useLedger(account: Account | undefined, code: string, only: string): Ledger {
  const [wanted, setWanted] = useState(false);
  const kind = only === "" ? undefined : (only as EntryKind);
  const newest = kind || !account ? [] : account.lines;
  const count = account ? (kind ? (account.kinds[kind] ?? 0) : account.lineCount) : 0;
  const pages = useInfiniteQuery({
    queryKey: ["account", code, "lines", only, count],
    queryFn: ({ pageParam, signal }) =>
      api.lines(code, { ...(kind && { kind }), before: pageParam, limit: kind ? 100 : more }, signal),
    initialPageParam: count - newest.length,
    getNextPageParam: (last) => (last.first > 0 ? last.first : undefined),
    enabled: account !== undefined && count > newest.length && (kind !== undefined || wanted),
  });
  const asked = pages.data?.pages ?? [];
  const lines = [...asked.toReversed().flatMap((p) => p.lines), ...newest];
  return {
    lines,
    older: count - lines.length,
    waiting: pages.isFetching,
    error: pages.error,
    onMore: () => {
      if (pages.data) void pages.fetchNextPage();
      else setWanted(true);
    },
    all: async () => {
      let got: { data?: typeof pages.data; error: Error | null } = pages.data
        ? await pages.fetchNextPage()
        : await pages.refetch();
      while (!got.error && (got.data?.pages.at(-1)?.first ?? 0) > 0) got = await pages.fetchNextPage();
      if (got.error) throw got.error;
      flushSync(() => setWanted(true));
    },
  };
}

/** The ledger page of a unit: every line with what the books say after it, the newest first. */
export function LedgerPage({ account, ledger, onCorrect, onStrike }: Props) {
  const unit = account.meterUnit ? meterSymbol(account.meterUnit) : "";
  // The lines that a screen has room for are drawn with the page, the others right after it, in slices of time.
  const [all, setAll] = useState(false);
  useEffect(() => startTransition(() => setAll(true)), []);
  const lines = ledger.lines.toReversed();
  if (account.lineCount === 0) {
    return (
      <p className="wait">
        Nothing is recorded in this account yet. Begin with an opening, a renewal or a freeze test.
      </p>
    );
  }
  return (
    <>
      <div className="scrolled">
        <table className="rows" aria-label="Ledger" aria-busy={!all}>
          <thead>
            <tr>
              <th>date</th>
              <th>entry</th>
              <th className="right">{unitOf("volume")}</th>
              <th className="right">glycol %</th>
              <th className="right">{`freezes ${unitOf("temperature")}`}</th>
              {unit && <th className="right">{`${unit} since`}</th>}
              {onStrike && <th className="no-print">{""}</th>}
            </tr>
          </thead>
          <tbody>
            {(all ? lines : lines.slice(0, drawnFirst)).map((line) => (
              <LedgerLine
                key={line.id}
                line={line}
                meter={account.meterUnit}
                onCorrect={onCorrect}
                onStrike={onStrike}
              />
            ))}
          </tbody>
        </table>
      </div>
      {ledger.error && <Failed error={ledger.error} again={ledger.onMore} />}
      {ledger.older > 0 && (
        <button type="button" className="act no-print" disabled={ledger.waiting} onClick={ledger.onMore}>
          show more of the {figure(ledger.older)} older lines
        </button>
      )}
      {ledger.older > 0 && <p className="on-paper">{figure(ledger.older)} older lines are not on this paper.</p>}
    </>
  );
}

/** Hands the lines over as a file, the newest first: moments as ISO, figures by the book in L, per cent and °C. */
function downloadLedger(as: FileFormat, account: Account, lines: readonly Line[]) {
  const tenth = (v: number | undefined) => (v === undefined ? undefined : Number(v.toFixed(1)));
  return download(
    as,
    `${account.unit.code}-${account.today}`,
    [
      "happened at",
      "kind",
      "entry",
      "notes",
      "L",
      "glycol, %",
      "freezes, °C",
      "recorded by",
      "recorded at",
      "struck by",
      "why struck",
      "id",
    ],
    lines
      .toReversed()
      .map((l) => [
        l.at,
        kindNames[l.kind],
        l.text,
        [l.test?.text, ...l.notes.map((n) => n.text)].filter(Boolean).join("; "),
        tenth(l.after.litres),
        tenth(l.after.glycol),
        tenth(l.after.freeze),
        l.recordedBy,
        l.recordedAt,
        l.struck?.by,
        l.struck?.why,
        l.id,
      ]),
  );
}

/** Which lines are shown, and the way to paper, which has room for all of them. */
export function LedgerTools(p: { account: Account; ledger: Ledger; only: string; onOnly: (kind: string) => void }) {
  const kinds = (Object.entries(p.account.kinds) as [EntryKind, number][]).sort((a, b) =>
    kindNames[a[0]].localeCompare(kindNames[b[0]]),
  );
  const [failed, setFailed] = useState("");
  const lines = useRef(p.ledger.lines);
  useEffect(() => {
    lines.current = p.ledger.lines;
  });
  const fetched = async () => {
    if (p.ledger.older === 0) return;
    await p.ledger.all();
    // What has come is drawn with the next frame.
    await new Promise((drawn) => requestAnimationFrame(() => requestAnimationFrame(drawn)));
  };
  const print = async () => {
    await fetched();
    window.print();
  };
  const file = async (as: FileFormat) => {
    await fetched();
    await downloadLedger(as, p.account, lines.current);
  };
  // The key of the browser, too, prints all lines, which have to be fetched first.
  useEffect(() => {
    const press = (event: KeyboardEvent) => {
      if (event.key !== "p" || !(event.ctrlKey || event.metaKey)) return;
      event.preventDefault();
      setFailed("");
      print().catch((error: unknown) => setFailed(error instanceof Error ? error.message : String(error)));
    };
    window.addEventListener("keydown", press);
    return () => window.removeEventListener("keydown", press);
  });
  return (
    <div className="tools no-print">
      {failed && <p className="alarm">{failed}</p>}
      <SelectField
        label="lines shown"
        hidden
        width="150px"
        value={kinds.some(([k]) => k === p.only) ? p.only : ""}
        options={[
          ["", `all kinds (${p.account.lineCount})`],
          ...kinds.map(([k, n]) => [k, `${kindNames[k].toLowerCase()} (${n})`] as const),
        ]}
        onChange={p.onOnly}
      />
      <TakeAlong
        what="the ledger"
        json={async () => {
          await fetched();
          downloadJSON(p.account.unit.code, { ...p.account, lines: lines.current });
        }}
        file={file}
        print={print}
      />
    </div>
  );
}

const OpenLineMenu = lazyWithChakra(() => import("./OpenLineMenu").then((m) => m.OpenLineMenu));

const LedgerLine = memo(function LedgerLine(p: {
  line: Line;
  meter: Account["meterUnit"];
  onCorrect: Props["onCorrect"];
  onStrike: Props["onStrike"];
}) {
  const { line } = p;
  const struck = line.struck;
  const compared = struck ? "" : (line.test?.text ?? "");
  const off = line.test?.trusted === true && line.test.book !== undefined && !line.test.agrees;
  const bare = line.kind === "strike" || struck !== undefined;
  const text = (
    <>
      <b>{kindNames[line.kind]}</b> {line.strikes ? `${line.strikes}: ` : ""}
      {line.text}
    </>
  );
  return (
    <tr data-line="" data-kind={line.kind} data-id={line.id} data-struck={struck ? "" : undefined} tabIndex={-1}>
      <td className="figures tight">{shortDay(line.at)}</td>
      <td className="entry">
        {struck ? <del className="faint">{text}</del> : <span>{text}</span>}
        {compared && <span className={off ? "alarm" : "faint"}> · {compared}</span>}
        {line.grade === "bad" && <span className="alarm"> · bad</span>}
        {line.notes.map((n) => (
          <span key={n.code} className={n.warning ? "alarm" : "faint"}>
            {" "}
            · {n.text}
            {line.implied !== undefined && /implied|level_/.test(n.code) && ` (${litres(line.implied)})`}
            {n.code === "air_trapped" && line.turnover && ` (${litres(line.turnover.short)})`}
            {n.code === "partial_drain" && line.turnover && ` (${figure(100 * line.turnover.share)}\u00a0% new)`}
          </span>
        ))}
        <span className="small faint">
          {" — "}
          {line.recordedBy}
          {line.recordedAt && shortDay(line.recordedAt) !== shortDay(line.at)
            ? `, recorded ${shortDay(line.recordedAt)}`
            : ""}
        </span>
        {line.attachments?.map((hash) => (
          <Attachment key={hash} hash={hash} missing={line.photosMissing} />
        ))}
        {struck && (
          <div className="small alarm">
            struck by {struck.by}, {shortDay(struck.at)}: {struck.why}
          </div>
        )}
      </td>
      <td className="figures right">{bare ? "" : figure(inVolume(line.after.litres), 1)}</td>
      <td className="figures right">{bare ? "" : figure(line.after.glycol)}</td>
      <td className="figures right strong">
        {bare ? "" : line.after.freeze === undefined ? nothing : figure(inTemperature(line.after.freeze))}
      </td>
      {p.meter && <td className="figures right">{bare ? "" : figure(inMeter(line.after.used, p.meter))}</td>}
      {p.onStrike && <td className="menu no-print">{!bare && <LineMenu {...p} />}</td>}
    </tr>
  );
});

/** The menu of a line is fetched when one is opened first. */
function LineMenu({ line, onCorrect, onStrike }: Pick<Props, "onCorrect" | "onStrike"> & { line: Line }) {
  const [used, setUsed] = useState(false);
  const label = `correct or strike: ${kindNames[line.kind]} of ${shortDay(line.at)}`;
  const button = (
    <button
      type="button"
      className="act quiet dots"
      aria-label={label}
      aria-haspopup="menu"
      onClick={() => setUsed(true)}
    >
      ⋯
    </button>
  );
  if (!used) return button;
  return (
    <Suspense fallback={button}>
      <OpenLineMenu label={label} onCorrect={() => onCorrect?.(line)} onStrike={() => onStrike?.(line)} />
    </Suspense>
  );
}

/** The line under the account's name: every product blended in. */
export function Blended({ account }: { account: Account }) {
  return account.blendedText === "" ? null : <p className="alarm fine">{account.blendedText}</p>;
}

/** A photo of a line, or what is said when it was not received; a report that is kept elsewhere is named by its hash. */
function Attachment({ hash, missing }: { hash: string; missing: string | undefined }) {
  const [absent, setAbsent] = useState(false);
  const address = `/api/v1/attachments/${hash}`;
  if (absent)
    return (
      <div className={missing ? "small alarm" : "small faint"} title={hash}>
        {missing ?? "Report kept elsewhere."} SHA-256 <span className="figures">{hash.slice(0, 12)}…</span>
      </div>
    );
  return (
    <a className="photo-of" href={address} target="_blank" rel="noreferrer">
      <img src={address} alt="photo of this line" loading="lazy" height={72} onError={() => setAbsent(true)} />
    </a>
  );
}
