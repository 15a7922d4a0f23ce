import { useQuery } from "@tanstack/react-query";
import { type SyntheticEvent, useEffect, useState } from "react";
import { Link as RouterLink, useNavigate, useSearchParams } from "react-router";
import { Problem, api } from "../api/client";
import { keepUnsent } from "../frame/outbox";
import { Frame } from "../frame/Frame";
import { Failed, Waiting } from "../frame/State";
import { usePerson } from "../people/session";
import { unitOf } from "../words/figures";
import { Choices } from "./Questions";
import { RoundLines } from "./RoundLines";
import { Scan, canScan } from "./Scan";
import { deviceName, newId } from "./answers";
import { startCore } from "./core";
import { takeWalk, useOpenWalk } from "./taken";
import type { Instrument, Tool, ToolKind } from "./types";
import { timeNow } from "../frame/clock";

const kinds: Readonly<Partial<Record<string, ToolKind>>> = {
  refractometer: "refractometer",
  digital_refractometer: "digital",
  hydrometer: "hydrometer",
  disc_tester: "discs",
  strips: "strip",
};

/** The instrument as a tool of the round; undefined for one that makes no freeze test. */
function toolOf(i: Instrument, kind?: ToolKind): Tool | undefined {
  const is = kind ?? kinds[i.kind ?? ""];
  if (!is || (is === "discs" && (i.chart ?? []).length === 0)) return undefined;
  return { name: i.name, kind: is, scale: i.scale, chart: i.chart };
}

/** Where a round begins: which walk, and with which tester. */
export function RoundPage() {
  const person = usePerson();
  const navigate = useNavigate();
  const { open } = useOpenWalk(person.email);
  const choice = useQuery({ queryKey: ["walk-rows"], queryFn: ({ signal }) => api.walkRows(signal), retry: 1 });
  const rounds = useQuery({ queryKey: ["rounds"], queryFn: ({ signal }) => api.rounds(signal), retry: 1 });
  const [tool, setTool] = useState<Tool>();
  const [zero, setZero] = useState("");
  const [params] = useSearchParams();
  const [tag, setTag] = useState(params.get("tag") ?? "");
  const [busy, setBusy] = useState("");
  const [failed, setFailed] = useState("");
  const [scanning, setScanning] = useState(false);
  useEffect(startCore, []);
  const instruments = choice.data?.instruments ?? [];
  const chosen = instruments.find((i) => i.name === tool?.name);
  const mayWalk = person.role !== "reader";

  async function begin(query: { site?: string; row?: string; tag?: string }, to = "/round/walk") {
    setBusy(query.tag ?? `${query.site ?? ""} ${query.row ?? ""}`);
    setFailed("");
    try {
      const started = await takeWalk(person.email, query, tool && { ...tool, zero: zero.trim() || undefined }, {
        instruments,
        probe: choice.data?.probe ?? false,
      });
      const first = started.taken.walk.units[0]?.accounts[0];
      if (tool && zero.trim() !== "" && first) await keepZero(first.code, first.id);
      await navigate(to);
    } catch (error) {
      setFailed(error instanceof Problem ? refusalOf(error) : error instanceof Error ? error.message : String(error));
    } finally {
      setBusy("");
    }
  }
  /** The zero check is an entry of its own, on the first unit of the walk; each test of the round bears it, too. */
  async function keepZero(unit: string, account: number) {
    if (!tool) return;
    const entry = {
      id: newId(),
      kind: "zero_check" as const,
      at: timeNow().toISOString(),
      device: deviceName(),
      zeroCheck: { tool: tool.name, zero: { value: zero.trim(), unit: "degC" as const } },
    };
    if (tool.name !== "")
      await keepUnsent({ person: person.email, unit, account, entry, what: `zero check ${tool.name}` });
  }
  function submit(event: SyntheticEvent) {
    event.preventDefault();
    if (tag.trim() !== "") void begin({ tag: tag.trim() });
  }
  const sites = [...new Set((choice.data?.rows ?? []).map((r) => r.site))];
  return (
    <Frame title="Round" head="a walk along a row of cold units" here="round">
      <div className="round-choose">
        {open && (
          <section className="section go-on">
            <h2 className="heading">Under way on this device</h2>
            <p>
              {open.round.title}: {open.round.stops.filter((s) => s.state !== "waiting").length} of{" "}
              {open.round.stops.length} visited. A new walk closes this round; record or discard its answers first.
            </p>
            <p className="buttons-row">
              <RouterLink className="choice go" to="/round/walk">
                go on
              </RouterLink>
              <RouterLink className="choice" to="/round/close">
                close it
              </RouterLink>
            </p>
          </section>
        )}
        {choice.isPending && <Waiting what="the rows" />}
        {choice.error && !open && (
          <Failed error={choice.error} again={() => void choice.refetch()}>
            <p>Without a signal, the walk that lies on this device goes on; a new one needs the server.</p>
          </Failed>
        )}
        {choice.data && !mayWalk && <p className="faint">A reader records nothing; rounds are shown below.</p>}
        {choice.data && mayWalk && (
          <>
            <section className="section">
              <h2 className="heading">Which tester have you got?</h2>
              <div className="choices" role="group" aria-label="Tester">
                {instruments.map((i) => {
                  const t = toolOf(i);
                  if (!t) return null;
                  return (
                    <button
                      key={i.name}
                      type="button"
                      className="choice"
                      aria-pressed={tool?.name === i.name && tool.name !== ""}
                      disabled={i.refused !== undefined}
                      onClick={() => setTool(tool?.name === i.name ? undefined : t)}
                    >
                      {i.name}
                      <small>{i.refused ?? i.text}</small>
                    </button>
                  );
                })}
                <Unregistered instruments={instruments} tool={tool} onTool={setTool} />
              </div>
              {tool === undefined && <p className="faint">Without one, the round asks for no freeze test.</p>}
              {tool && (tool.kind === "refractometer" || tool.kind === "digital") && (
                <div className={chosen?.zero ? "typed-fields due" : "typed-fields"}>
                  <label>
                    on purified water it reads, °C{chosen?.zero ? ": due" : ""}
                    <input inputMode="text" value={zero} placeholder="0" onChange={(e) => setZero(e.target.value)} />
                  </label>
                  <p className="faint">
                    {chosen?.zero
                      ? "No zero check within a month: put purified water on the prism first. Without it each reading is less certain."
                      : "Zero it first if it was knocked."}
                  </p>
                </div>
              )}
            </section>
            <section className="section">
              <h2 className="heading">Which walk?</h2>
              {failed && (
                <p className="alarm" role="alert">
                  {failed}
                </p>
              )}
              <form className="typed-fields" onSubmit={submit}>
                <label>
                  number, tag or registration
                  <input value={tag} maxLength={60} onChange={(e) => setTag(e.target.value)} />
                </label>
                <button type="submit" className="choice" disabled={busy !== ""}>
                  one unit
                </button>
                {canScan() && (
                  <button type="button" className="choice" onClick={() => setScanning(!scanning)}>
                    scan
                  </button>
                )}
              </form>
              {scanning && (
                <Scan
                  onCode={(code) => {
                    setScanning(false);
                    void begin({ tag: code });
                  }}
                  onClose={() => setScanning(false)}
                />
              )}
              {sites.map((site) => (
                <div key={site} className="walk-site">
                  <h3>{site}</h3>
                  <div className="choices">
                    {choice.data.rows
                      .filter((r) => r.site === site)
                      .map((r) => (
                        <button
                          key={r.row}
                          type="button"
                          className="choice"
                          disabled={busy !== ""}
                          onClick={() => void begin({ site, row: r.row })}
                        >
                          {r.row === "" ? "no place" : `row ${r.row}`}
                          <small>
                            {busy === `${site} ${r.row}`
                              ? "loading …"
                              : `${r.units} ${r.units === 1 ? "unit" : "units"}`}
                          </small>
                        </button>
                      ))}
                    <button
                      type="button"
                      className="choice"
                      disabled={busy !== ""}
                      onClick={() => void begin({ site })}
                    >
                      all rows
                    </button>
                    <RouterLink className="act" to={`/round/sheet?site=${encodeURIComponent(site)}`}>
                      blank sheet
                    </RouterLink>
                    <RouterLink className="act" to={`/round/desk?site=${encodeURIComponent(site)}`}>
                      type up a sheet
                    </RouterLink>
                    <RouterLink className="act" to={`/tags?site=${encodeURIComponent(site)}`}>
                      labels
                    </RouterLink>
                  </div>
                </div>
              ))}
            </section>
          </>
        )}
        {rounds.data && rounds.data.length > 0 && <RoundLines rounds={rounds.data} />}
        <p className="faint">Figures of temperature are read in {unitOf("temperature")}.</p>
      </div>
    </Frame>
  );
}

const refusalOf = (p: Problem) =>
  p.fields.length > 0
    ? p.fields.map((f) => [f.detail, f.accepted].filter(Boolean).join("; accepted: ")).join("; ")
    : p.message;

/** A tester that the register has no kind of, or that is in no register. */
function Unregistered(p: { instruments: readonly Instrument[]; tool?: Tool; onTool: (t: Tool | undefined) => void }) {
  const [shown, setShown] = useState(false);
  const plain = p.instruments.filter((i) => i.kind === undefined);
  const [name, setName] = useState("");
  if (!shown)
    return (
      <button type="button" className="choice" onClick={() => setShown(true)}>
        another one
      </button>
    );
  return (
    <div className="typed-fields">
      <label>
        its name
        <input list="testers" value={name} maxLength={80} onChange={(e) => setName(e.target.value)} />
        <datalist id="testers">
          {plain.map((i) => (
            <option key={i.name} value={i.name} />
          ))}
        </datalist>
      </label>
      <Choices
        label="Kind of tester"
        options={[
          { value: "refractometer", name: "refractometer" },
          { value: "hydrometer", name: "hydrometer" },
          { value: "strip", name: "strip" },
        ]}
        value={p.tool?.name === name ? p.tool.kind : undefined}
        onValue={(kind) => p.onTool(kind ? { name: name.trim(), kind: kind as ToolKind } : undefined)}
      />
    </div>
  );
}
