import { type KeyboardEvent, useEffect, useRef, useState } from "react";
import { useQuery } from "@tanstack/react-query";
import { Link as RouterLink, useSearchParams } from "react-router";
import { api } from "../api/client";
import { DateField, unread } from "../account/DateField";
import { Frame } from "../frame/Frame";
import { Failed, Waiting } from "../frame/State";
import { currentLines, keepUnsent } from "../frame/outbox";
import { usePerson } from "../people/session";
import { symbols } from "../words/figures";
import { kindNames, verdictWords } from "../words/names";
import { levelDigits } from "./SheetPage";
import { answered, capBody, changeRound, deviceName, entryOf, freezeBody, scaleFor, waitingOf } from "./answers";
import { openWalk, previewOf, startCore } from "./core";
import { takeWalk } from "./taken";
import { useReport } from "./WalkPage";
import type { Answer, Instrument, Preview, RoundState, Taken, Tool, WaitingEntry, WalkCircuit } from "./types";
import { timeNow } from "../frame/clock";

/** A row as it is typed: a text for each column of the paper sheet. */
interface Row {
  readonly temper: string;
  readonly level: string;
  readonly freeze: string;
  readonly cap: string;
  readonly hoses: string;
  readonly meter: string;
  readonly note: string;
}

const blank: Row = { temper: "", level: "", freeze: "", cap: "", hoses: "", meter: "", note: "" };
const columns = ["temper", "level", "freeze", "cap", "hoses", "meter", "note"] as const;
const heads: Readonly<Record<(typeof columns)[number], string>> = {
  temper: "c / h",
  level: "level 1–6",
  freeze: "freeze",
  cap: "cap 1–3",
  hoses: "hoses 1–2",
  meter: "meter",
  note: "note",
};

/** What is typed in a cell that it does not take; empty when it does. */
function wrong(column: (typeof columns)[number], text: string): string {
  const t = text.trim();
  if (t === "") return "";
  switch (column) {
    case "temper":
      return /^[ch]$/i.test(t) ? "" : `${t} is not accepted; accepted: c or h`;
    case "level":
      return /^[1-6]$/.test(t) ? "" : `${t} is not accepted; accepted: 1 to 6`;
    case "cap":
      return /^[1-3]$/.test(t) ? "" : `${t} is not accepted; accepted: 1 to 3`;
    case "hoses":
      return /^[12]$/.test(t) ? "" : `${t} is not accepted; accepted: 1 or 2`;
    default:
      return "";
  }
}

const isHot = (row: Row) => /^h/i.test(row.temper.trim());

/** Questions of the columns that a hot engine leaves open. */
const questions = { freeze: "freeze_test", cap: "cap", hoses: "hoses" } as const;

/** Whether a cell is asked for: not what a hot engine forbids, as the core says, and no meter of a circuit without one. */
function asked(column: (typeof columns)[number], row: Row, circuit: WalkCircuit, tool: Tool | undefined): boolean {
  if (column === "freeze" && (!tool || circuit.fits.find((f) => f.instrument === tool.name)?.usable === false))
    return false;
  if (column === "meter" && circuit.meters.length === 0) return false;
  if (column !== "freeze" && column !== "cap" && column !== "hoses") return true;
  const question = [...circuit.first, ...circuit.rest].find((q) => q.question === questions[column]);
  return question !== undefined && (!isHot(row) || question.hot);
}

/** The answers of a row, in the order of its columns. */
function answersOf(row: Row, circuit: WalkCircuit, tool: Tool | undefined, at: string): Answer[] {
  const all: Answer[] = [];
  const add = (kind: Answer["kind"], body: Answer["body"]) => all.push({ ...answered(undefined, kind, body), at });
  const temper = isHot(row) ? "hot" : "cold";
  if (row.level) add("level_check", { temper, mark: levelDigits[Number(row.level.trim()) - 1] ?? "empty" });
  const takes = (c: (typeof columns)[number]) => row[c].trim() !== "" && asked(c, row, circuit, tool);
  if (takes("freeze") && tool) {
    const units = { discs: "discs", hydrometer: "sg", strip: "degC", refractometer: "degC", digital: "degC" };
    const reads = tool.kind === "refractometer" || tool.kind === "digital";
    if (reads && circuit.base === "waterless")
      add("freeze_test", freezeBody(tool, row.freeze.trim(), "percent", { scale: "waterless" }));
    else
      add(
        "freeze_test",
        freezeBody(tool, row.freeze.trim(), units[tool.kind], reads ? { scale: scaleFor(tool, circuit).scale } : {}),
      );
  }
  if (takes("cap"))
    add(
      "cap_test",
      capBody(row.cap.trim() === "1" ? "home" : row.cap.trim() === "2" ? "off" : "seal", circuit.stages === 2),
    );
  if (takes("hoses") && row.hoses.trim() === "1")
    add("hose_check", {
      hoses: circuit.points
        .filter((p) => p.kind === "hose_check")
        .map((p) => ({ hose: p.code, state: "good", clamp: "good" })),
    });
  if (takes("meter") && circuit.meters[0])
    add("meter", { meter: { value: row.meter.trim(), unit: circuit.meters[0].unit } });
  if (row.note.trim()) add("note", { text: row.note.trim() });
  return all;
}

/** The grid in which a paper sheet is typed up: Tab and Enter alone. */
export function DeskPage() {
  const person = usePerson();
  const [params] = useSearchParams();
  const site = params.get("site") ?? undefined;
  const row = params.get("row") ?? undefined;
  const choice = useQuery({ queryKey: ["walk-rows"], queryFn: ({ signal }) => api.walkRows(signal) });
  const [tool, setTool] = useState("");
  const [zero, setZero] = useState("");
  const [when, setWhen] = useState("");
  const [started, setStarted] = useState<{ taken: Taken; round: RoundState }>();
  const [failed, setFailed] = useState("");
  useEffect(startCore, []);
  const instruments = choice.data?.instruments ?? [];
  async function begin() {
    const i = instruments.find((one) => one.name === tool);
    setFailed("");
    try {
      setStarted(
        await takeWalk(person.email, { site, row }, i && toolOf(i, zero), {
          instruments,
          probe: choice.data?.probe ?? false,
        }),
      );
    } catch (error) {
      setFailed(error instanceof Error ? error.message : String(error));
    }
  }
  return (
    <Frame title="Sheet" head={`${site ?? ""} ${row ?? ""}: type up a paper sheet`} here="round">
      {choice.isPending && <Waiting what="the testers" />}
      {choice.error && <Failed error={choice.error} again={() => void choice.refetch()} />}
      {choice.data && !started && (
        <form
          className="typed-fields"
          onSubmit={(e) => {
            e.preventDefault();
            void begin();
          }}
        >
          <DateField
            label="when the round was walked"
            width="240px"
            moment
            placeholder="now, or yesterday 07:30"
            value={when}
            onChange={setWhen}
          />
          <label>
            tester
            <select value={tool} onChange={(e) => setTool(e.target.value)} autoFocus>
              <option value="">none</option>
              {instruments
                .filter((i) => toolOf(i, "") !== undefined && i.refused === undefined)
                .map((i) => (
                  <option key={i.name} value={i.name}>
                    {i.name}
                  </option>
                ))}
            </select>
          </label>
          <label>
            on water it read, °C
            <input value={zero} onChange={(e) => setZero(e.target.value)} placeholder="not zeroed" />
          </label>
          <button type="submit" className="choice go" disabled={when === unread}>
            begin
          </button>
        </form>
      )}
      {failed && (
        <p className="alarm" role="alert">
          {failed}
        </p>
      )}
      {started && <Grid {...started} at={when} />}
    </Frame>
  );
}

const kinds: Readonly<Partial<Record<string, Tool["kind"]>>> = {
  refractometer: "refractometer",
  hydrometer: "hydrometer",
  disc_tester: "discs",
  strips: "strip",
};

function toolOf(i: Instrument, zero: string): Tool | undefined {
  const kind = kinds[i.kind ?? ""];
  return kind && { name: i.name, kind, scale: i.scale, chart: i.chart, zero: zero.trim() || undefined };
}

function Grid({ taken, round, at }: { taken: Taken; round: RoundState; at: string }) {
  const units = taken.walk.units.flatMap((unit) => unit.view.circuits.map((circuit) => ({ unit, circuit })));
  const [rows, setRows] = useState<readonly Row[]>(() => units.map(() => blank));
  const [said, setSaid] = useState<Readonly<Record<string, string>>>({});
  const [recorded, setRecorded] = useState<Readonly<Record<string, string>>>({});
  const [now, setNow] = useState(round);
  const grid = useRef<HTMLTableElement>(null);
  // As it is now, for lines that are recorded after others were.
  const doneNow = useRef<Readonly<Record<string, string>>>({});
  useReport(taken.person, now);
  useEffect(() => grid.current?.querySelector<HTMLInputElement>("input")?.focus(), []);
  const set = (i: number, column: keyof Row, text: string) =>
    setRows((all) => all.map((r, n) => (n === i ? { ...r, [column]: text } : r)));
  const focus = (i: number) => grid.current?.querySelector<HTMLInputElement>(`[data-cell="${i} temper"]`)?.focus();
  const moment = () => (at === "" ? timeNow().toISOString() : new Date(at).toISOString());

  /** Previews a row, and records it when all of it is accepted. */
  async function record(i: number, row: Row) {
    const of = units[i];
    if (!of) return;
    const { unit, circuit } = of;
    const code = circuit.address;
    const answers = answersOf(row, circuit, round.tool, moment());
    await openWalk(taken.walk.shared);
    const address = code;
    const queue: WaitingEntry[] = waitingOf(currentLines(taken.person), [address]);
    let last: Preview | undefined;
    const made: Answer[] = [];
    for (const a of answers) {
      let entry = entryOf(a, round.id, deviceName());
      let p = await previewOf(unit.pack, queue, timeNow(), address, entry);
      const confirms = p.refused?.every((f) => f.question) === true && said[code]?.startsWith("?");
      if (confirms) {
        // Enter pressed again says that it is right.
        entry = entryOf({ ...a, confirmed: true }, round.id, deviceName());
        p = await previewOf(unit.pack, queue, timeNow(), address, entry);
      }
      if (p.refused) {
        const mark = p.refused.every((f) => f.question) ? "? " : "";
        const why = p.refused.map((f) => `${f.detail}${f.accepted ? `; accepted: ${f.accepted}` : ""}`).join("; ");
        setSaid((all) => ({
          ...all,
          [code]: `${mark}${kindNames[a.kind]}: ${why}${mark ? " Enter again: yes." : ""}`,
        }));
        // Back to it, unless the next line was begun.
        const next = grid.current?.querySelector<HTMLInputElement>(`[data-cell="${i + 1} temper"]`);
        if (next && document.activeElement === next && next.value === "") focus(i);
        return;
      }
      queue.push({ address, entry, recordedAt: timeNow().toISOString() });
      made.push(confirms ? { ...a, confirmed: true } : a);
      last = p;
    }
    await keepUnsent(
      ...made.map((a) => ({
        person: taken.person,
        unit: address,
        account: unit.accounts.find((a) => a.code === address)?.id,
        entry: entryOf(a, round.id, deviceName()),
        what: kindNames[a.kind].toLowerCase(),
        round: round.id,
        code: unit.unit.code,
      })),
    );
    const status = last?.unit;
    // A unit is done once each of its circuits is typed.
    const whole = unit.accounts.every((x) => x.code === address || doneNow.current[x.code] !== undefined);
    const after = await changeRound(round.id, (r) => ({
      ...r,
      stops: r.stops.map((s) =>
        s.unit === unit.unit.code
          ? {
              ...s,
              state: whole ? "done" : "waiting",
              at: timeNow().toISOString(),
              recorded: [...(s.recorded ?? []), ...made.map((a) => kindNames[a.kind])],
              verdict: status?.verdict,
              reason: status?.reason,
              left: status?.left,
              made: [
                ...(s.made ?? []),
                ...made.map((a) => ({
                  id: a.id,
                  unit: address,
                  account: unit.accounts.find((x) => x.code === address)?.id,
                })),
              ],
            }
          : s,
      ),
    }));
    if (after) setNow(after);
    doneNow.current = { ...doneNow.current, [code]: last?.verdict ? verdictWords[last.verdict] : "recorded" };
    setRecorded(doneNow.current);
    setSaid((all) => ({
      ...all,
      [code]: last?.mustNotMove ? `MUST NOT MOVE: ${last.mustNotMove}` : (last?.reason ?? ""),
    }));
  }
  // Lines are recorded one after the other, as they were when Enter was pressed, while the next one is typed.
  const work = useRef<Promise<void>>(Promise.resolve());
  const [keeping, setKeeping] = useState<ReadonlySet<string>>(new Set());
  function press(event: KeyboardEvent, i: number) {
    if (event.key !== "Enter") return;
    event.preventDefault();
    const of = units[i];
    const row = rows[i];
    if (!of || !row || columns.some((c) => wrong(c, row[c]) !== "")) return;
    const code = of.circuit.address;
    // The next key belongs to the next line, however long this one takes.
    focus(i + 1);
    if (recorded[code] || keeping.has(code) || answersOf(row, of.circuit, round.tool, moment()).length === 0) return;
    setKeeping((all) => new Set([...all, code]));
    work.current = work.current
      .then(() => record(i, row))
      .catch((error: unknown) =>
        setSaid((all) => ({
          ...all,
          [code]: `Not kept: ${error instanceof Error ? error.message : String(error)}. Enter tries again.`,
        })),
      )
      .then(() => setKeeping((all) => new Set([...all].filter((c) => c !== code))));
  }
  const done = Object.keys(recorded).length;
  return (
    <>
      <p className="no-print">
        {done} of {units.length} typed. Tab from cell to cell, Enter records the line. Level: 1 above the upper mark, 2
        at it, 3 between, 4 at the lower mark, 5 below, 6 empty. Cap: 1 home and good, 2 not home, 3 seal bad. Hoses: 1
        all good, 2 see the account.{" "}
        <RouterLink className="link" to="/round/close">
          Close the round
        </RouterLink>
      </p>
      <table className="desk" ref={grid}>
        <thead>
          <tr>
            <th scope="col">place</th>
            <th scope="col">unit</th>
            {columns.map((c) => (
              <th key={c} scope="col">
                {c === "freeze" && round.tool
                  ? `freeze, ${round.tool.kind === "discs" ? "discs" : round.tool.kind === "hydrometer" ? "density" : "°C"}`
                  : heads[c]}
              </th>
            ))}
            <th scope="col">status</th>
          </tr>
        </thead>
        <tbody>
          {units.map(({ unit: u, circuit }, i) => {
            const code = circuit.address;
            const row = rows[i] ?? blank;
            const bad = columns.map((c) => wrong(c, row[c])).find((w) => w !== "");
            return (
              <tr key={code} className={recorded[code] ? "done" : ""}>
                <td>{u.place}</td>
                <th scope="row" className="figures">
                  {code}
                </th>
                {columns.map((c) => (
                  <td key={c}>
                    <input
                      data-cell={`${i} ${c}`}
                      aria-label={`${code} ${heads[c]}${c === "meter" && circuit.meters[0] ? `, ${symbols[circuit.meters[0].unit]}` : ""}`}
                      aria-invalid={wrong(c, row[c]) !== ""}
                      className={c}
                      value={row[c]}
                      disabled={recorded[code] !== undefined || !asked(c, row, circuit, round.tool)}
                      readOnly={keeping.has(code)}
                      onChange={(e) => set(i, c, e.target.value)}
                      onKeyDown={(e) => press(e, i)}
                    />
                  </td>
                ))}
                <td className="desk-said" role="status">
                  {recorded[code] && <b>{recorded[code]}</b>}{" "}
                  {keeping.has(code) ? "keeping …" : (bad ?? said[code] ?? "")}
                </td>
              </tr>
            );
          })}
        </tbody>
      </table>
    </>
  );
}
