import { useCallback, useState } from "react";
import { asTyped, celsius, figure, inTemperature, symbols, unitOf } from "../words/figures";
import { word } from "../words/names";
import { Discs } from "./Discs";
import { Hydrometer } from "./Hydrometer";
import { Refractometer } from "./Refractometer";
import { StripField, StripTimer } from "./Strip";
import { type Mark, Tank } from "./Tank";
import { capBody, freezeBody, scaleFor } from "./answers";
import { simulatedProbe } from "./core";
import type { Tool, WalkCircuit, WalkView } from "./types";

export type Body = Readonly<Record<string, unknown>>;

export interface QuestionProps {
  view: WalkView;
  circuit: WalkCircuit;
  /** What was answered so far; undefined before it. */
  body?: Body;
  onBody: (body: Body | undefined) => void;
  temper: "cold" | "hot";
  tool?: Tool;
  probe: boolean;
}

interface Option {
  readonly value: string;
  readonly name: string;
  readonly hint?: string;
}

/** Buttons of which one is pressed; pressing it again removes the answer. */
export function Choices(p: {
  label: string;
  options: readonly Option[];
  value?: string;
  onValue: (v: string | undefined) => void;
  column?: boolean;
}) {
  return (
    <div className={p.column ? "choices column" : "choices"} role="group" aria-label={p.label}>
      {p.options.map((o) => (
        <button
          key={o.value}
          type="button"
          className="choice"
          aria-pressed={p.value === o.value}
          onClick={() => p.onValue(p.value === o.value ? undefined : o.value)}
        >
          {o.name}
          {o.hint && <small>{o.hint}</small>}
        </button>
      ))}
    </div>
  );
}

const textOf = (v: unknown): string => (typeof v === "string" ? v : typeof v === "number" ? asTyped(v) : "");
const readingText = (v: unknown): string => textOf((v as { value?: unknown } | undefined)?.value);

export function LevelQuestion({ circuit, body, onBody, temper }: QuestionProps) {
  return (
    <>
      <Tank
        mark={body?.mark as Mark | undefined}
        marks={circuit.marks}
        onMark={(mark) => onBody(mark === body?.mark ? undefined : { ...body, temper, mark })}
      />
      {temper === "hot" && <p className="faint">Kept as a hot level.</p>}
      {body?.mark !== undefined && (
        <Choices
          label="Seen in"
          options={[
            { value: "", name: "tank with the marks" },
            { value: "header", name: word("header") },
            { value: "bottle", name: word("bottle") },
          ]}
          value={textOf(body.place)}
          onValue={(place) => {
            const rest = Object.fromEntries(Object.entries(body).filter(([name]) => name !== "place"));
            onBody(place ? { ...rest, place } : rest);
          }}
        />
      )}
    </>
  );
}

export function FreezeQuestion(p: QuestionProps) {
  const { tool, circuit } = p;
  if (!tool) return <p className="faint">Choose a tester at the start of the round.</p>;
  const fit = circuit.fits.find((f) => f.instrument === tool.name);
  return (
    <>
      <p className="faint">
        {tool.name || word(tool.kind)}
        {tool.zero !== undefined && tool.zero !== "" && `, read ${tool.zero} on water`}
      </p>
      {fit?.text && <p className="warning">{fit.text}</p>}
      {fit?.usable !== false && <Tester {...p} tool={tool} />}
    </>
  );
}

function Tester(p: QuestionProps & { tool: Tool }) {
  const { tool, body, onBody, circuit, view } = p;
  const value = readingText(body?.value);
  switch (tool.kind) {
    case "discs":
      return (
        <Discs
          chart={tool.chart ?? []}
          floating={value === "" ? undefined : Number(value)}
          onFloating={(n) => onBody(freezeBody(tool, n, "discs"))}
        />
      );
    case "hydrometer":
      return (
        <Hydrometer
          value={value}
          sample={readingText(body?.sample)}
          onChange={(part) => {
            const next = part.value ?? value;
            const sample = part.sample ?? readingText(body?.sample);
            onBody(
              next === "" && sample === ""
                ? undefined
                : freezeBody(tool, next, "sg", sample ? { sample: { value: sample, unit: "degC" } } : {}),
            );
          }}
        />
      );
    case "strip":
      return <FreezeStrip {...p} steps={view.strip.freeze} />;
    case "digital":
      return <Digital {...p} />;
    case "refractometer":
      return circuit.base === "waterless" ? <WaterField {...p} /> : <Field {...p} circuit={circuit} />;
  }
}

/** The line on a refractometer: dragged, moved by arrow keys, or typed. */
function Field({ tool, body, onBody, circuit }: QuestionProps & { tool: Tool }) {
  const { scale: right, scales } = scaleFor(tool, circuit);
  const chosen = body?.scale === "EG" || body?.scale === "PG" ? body.scale : right;
  const [typed, setTyped] = useState(readingText(body?.value));
  const [unit, setUnit] = useState(
    (body?.value as { unit?: string } | undefined)?.unit ?? (unitOf("temperature") === symbols.degF ? "degF" : "degC"),
  );
  const number = Number(typed.replace("−", "-").replace(",", "."));
  const shown = typed === "" || !Number.isFinite(number) ? undefined : unit === "degF" ? (number - 32) / 1.8 : number;
  function set(text: string, scale: string = chosen, as: string = unit) {
    setTyped(text);
    setUnit(as);
    onBody(text.trim() === "" ? undefined : freezeBody(tool, text, as, { scale }));
  }
  const drawn = shown === undefined ? undefined : -Math.abs(shown);
  return (
    <>
      {scales.length > 1 && (
        <Choices
          label="Scale"
          options={scales.map((s) => ({ value: s, name: `${s} scale` }))}
          value={chosen}
          onValue={(s) => set(typed, s ?? chosen)}
        />
      )}
      {circuit.base !== undefined && circuit.base !== chosen && circuit.base !== "waterless" && (
        <p className="warning">
          {circuit.base} is inside: read the {circuit.base} scale.
        </p>
      )}
      <div className="beside">
        <Refractometer
          scales={scales}
          scale={chosen}
          value={drawn}
          onValue={(c) => set(String(Math.round((unit === "degF" ? 1.8 * c + 32 : c) * 10) / 10))}
        />
        <div className="typed-fields">
          <label>
            line
            <input
              inputMode="text"
              value={typed}
              placeholder={figure(inTemperature(-32))}
              onChange={(e) => set(e.target.value)}
            />
          </label>
          <label>
            in
            <select value={unit} onChange={(e) => set(typed, chosen, e.target.value)}>
              {(["degC", "degF", "percent", "brix"] as const).map((u) => (
                <option key={u} value={u}>
                  {symbols[u]}
                </option>
              ))}
            </select>
          </label>
        </div>
      </div>
    </>
  );
}

/** A waterless coolant: the refractometer shows the share of water in it. */
function WaterField({ tool, body, onBody }: QuestionProps & { tool: Tool }) {
  return (
    <div className="typed-fields">
      <label>
        water in it, %
        <input
          inputMode="decimal"
          value={readingText(body?.value)}
          placeholder="1"
          onChange={(e) =>
            onBody(e.target.value ? freezeBody(tool, e.target.value, "percent", { scale: "waterless" }) : undefined)
          }
        />
      </label>
    </div>
  );
}

function FreezeStrip({ tool, body, onBody, steps, view }: QuestionProps & { tool: Tool; steps: readonly number[] }) {
  const [late, setLate] = useState(false);
  const warm = readingText(body?.value);
  const at = warm === "" ? undefined : steps.indexOf(Number(warm));
  const set = (i: number, isLate: boolean) => {
    const cold = steps[i + 1];
    onBody(
      freezeBody(tool, steps[i] ?? 0, "degC", {
        ...(cold === undefined ? {} : { cold }),
        ...(isLate ? { late: true } : {}),
      }),
    );
  };
  const onLate = useCallback((l: boolean) => setLate(l), []);
  return (
    <>
      <StripTimer from={view.strip.from} until={view.strip.until} onLate={onLate} />
      <StripField name="freeze field" steps={steps} degrees step={at} onStep={(i) => set(i, late)} />
    </>
  );
}

/** The digital refractometer, read with one button. */
function Digital({ tool, body, onBody, circuit, probe }: QuestionProps & { tool: Tool }) {
  const [failed, setFailed] = useState("");
  const [busy, setBusy] = useState(false);
  const truth = circuit.freeze;
  if (!probe) return <p className="faint">No digital refractometer is connected.</p>;
  if (truth === undefined)
    return <p className="faint">The simulated refractometer needs a unit whose strength the books know.</p>;
  async function read(at: number) {
    setBusy(true);
    setFailed("");
    try {
      const { celsius: shown } = await simulatedProbe(at).read();
      onBody(freezeBody(tool, shown, "degC", { scale: circuit.base === "PG" ? "PG" : "EG" }));
    } catch (error) {
      setFailed(error instanceof Error ? error.message : String(error));
    } finally {
      setBusy(false);
    }
  }
  const value = readingText(body?.value);
  return (
    <>
      <button type="button" className="choice wide" disabled={busy} onClick={() => void read(truth)}>
        {busy ? "reading …" : value === "" ? "read the refractometer" : "read it again"}
      </button>
      {value !== "" && <p className="strong">It shows {celsius(Number(value))}.</p>}
      {failed && <p className="alarm">{failed}</p>}
    </>
  );
}

export function CapQuestion({ circuit, body, onBody }: QuestionProps) {
  const two = circuit.stages === 2;
  const seal = textOf(body?.seal);
  const state =
    body === undefined
      ? undefined
      : body.stage === "first_stage" || body.seated === false
        ? "off"
        : seal !== "" && seal !== "good"
          ? "seal"
          : body.seal === "good"
            ? "home"
            : undefined;
  const rest = Object.fromEntries(
    Object.entries(body ?? {}).filter(([n]) => n === "vacuum" || n === "opened" || n === "renewed"),
  );
  return (
    <>
      <Choices
        label="Pressure cap"
        options={[
          { value: "home", name: "home, good" },
          { value: "off", name: two ? "on its first stage" : "not home" },
          { value: "seal", name: "seal bad" },
        ]}
        value={state}
        onValue={(v) =>
          onBody(v === undefined ? undefined : { ...rest, ...capBody(v as "home" | "off" | "seal", two) })
        }
      />
      {state === "seal" && (
        <Choices
          label="Seal"
          options={["cracked", "dried", "hardened"].map((s) => ({ value: s, name: word(s) }))}
          value={seal}
          onValue={(s) => onBody({ ...body, seal: s ?? "cracked" })}
        />
      )}
      {state !== undefined && (
        <div className="beside">
          <Choices
            label="Vacuum valve"
            options={[
              { value: "opens", name: "vacuum valve opens" },
              { value: "stuck", name: "valve stuck" },
            ]}
            value={textOf(body?.vacuum)}
            onValue={(vacuum) =>
              onBody({
                ...Object.fromEntries(Object.entries(body ?? {}).filter(([n]) => n !== "vacuum")),
                ...(vacuum ? { vacuum } : {}),
              })
            }
          />
          <div className="typed-fields">
            <label>
              opens at{circuit.cap ? `, rated ${circuit.cap}` : ""}
              <input
                inputMode="decimal"
                value={readingText(body?.opened)}
                placeholder={unitOf("pressure")}
                onChange={(e) =>
                  onBody({
                    ...Object.fromEntries(Object.entries(body ?? {}).filter(([n]) => n !== "opened")),
                    ...(e.target.value ? { opened: { value: e.target.value, unit: pressureUnit() } } : {}),
                  })
                }
              />
            </label>
          </div>
        </div>
      )}
    </>
  );
}

const pressureUnit = () =>
  (Object.keys(symbols) as (keyof typeof symbols)[]).find((u) => symbols[u] === unitOf("pressure")) ?? "kPa";

export function MeterQuestion({ circuit, body, onBody }: QuestionProps) {
  const meter = body?.meter as { value?: string; unit?: string } | undefined;
  const unit = meter?.unit ?? circuit.meters[0]?.unit ?? "km";
  return (
    <div className="typed-fields">
      <label>
        meter
        <input
          className="big"
          inputMode="decimal"
          value={meter?.value ?? ""}
          onChange={(e) => onBody(e.target.value ? { meter: { value: e.target.value, unit } } : undefined)}
        />
      </label>
      {circuit.meters.length > 1 ? (
        <label>
          in
          <select value={unit} onChange={(e) => onBody({ meter: { value: meter?.value ?? "", unit: e.target.value } })}>
            {circuit.meters.map((m) => (
              <option key={m.unit} value={m.unit}>
                {symbols[m.unit]}
              </option>
            ))}
          </select>
        </label>
      ) : (
        <span className="unit-of">{symbols[unit as keyof typeof symbols]}</span>
      )}
      <p className="faint">
        last:{" "}
        {circuit.meters
          .map((m) => m.last)
          .filter(Boolean)
          .join(" · ") || "no reading"}
      </p>
    </div>
  );
}

const looks = ["clear", "faded", "cloudy", "rusty", "oily", "gelled", "sediment"];

export function AppearanceQuestion({ body, onBody }: QuestionProps) {
  return (
    <Choices
      label="Appearance of the coolant"
      options={looks.map((l) => ({ value: l, name: word(l) }))}
      value={textOf(body?.look)}
      onValue={(look) => onBody(look ? { look } : undefined)}
    />
  );
}

export function RawWaterQuestion({ body, onBody }: QuestionProps) {
  return (
    <Choices
      label="Raw-water side"
      options={[
        { value: "drained", name: "drained" },
        { value: "filled", name: word("filled") },
        { value: "wet", name: word("wet") },
      ]}
      value={textOf(body?.state)}
      onValue={(state) => onBody(state ? { state } : undefined)}
    />
  );
}

const fields = [
  { name: "ph", label: "pH", unit: "" },
  { name: "nitrite", label: "nitrite", unit: "ppm" },
  { name: "molybdate", label: "molybdate", unit: "ppm" },
] as const;

const strays = [
  { name: "strayOff", label: "all off, V" },
  { name: "strayCranking", label: "cranking, V" },
  { name: "strayLoads", label: "loads on, V" },
] as const;

export function ChemistryQuestion({ view, body, onBody }: QuestionProps) {
  const [late, setLate] = useState(false);
  const [expired, setExpired] = useState(false);
  const onLate = useCallback((l: boolean) => setLate(l), []);
  const steps = { ph: view.strip.ph, nitrite: view.strip.nitrite, molybdate: view.strip.molybdate };
  const without = (...names: string[]) =>
    Object.fromEntries(Object.entries(body ?? {}).filter(([n]) => !names.includes(n)));
  function send(next: Record<string, unknown>) {
    const onlyMethod = Object.keys(next).every((n) => n === "method" || n === "late" || n === "expired");
    onBody(onlyMethod ? undefined : next);
  }
  return (
    <>
      <StripTimer from={view.strip.from} until={view.strip.until} onLate={onLate} />
      <label className="tick">
        <input
          type="checkbox"
          checked={expired}
          onChange={(e) => {
            setExpired(e.target.checked);
            send({ ...without("expired"), ...(e.target.checked ? { expired: true } : {}) });
          }}
        />
        strip past its date
      </label>
      {fields.map((f) => {
        const all = steps[f.name];
        const value = body?.[f.name];
        return (
          <StripField
            key={f.name}
            name={f.label}
            unit={f.unit}
            steps={all}
            step={typeof value === "number" ? all.indexOf(value) : undefined}
            onStep={(i) => {
              const to = all[i + 1];
              send({
                ...without(f.name, `${f.name}To`, "late"),
                method: "strip",
                [f.name]: all[i],
                ...(to === undefined ? {} : { [`${f.name}To`]: to }),
                ...(late ? { late: true } : {}),
                ...(expired ? { expired: true } : {}),
              });
            }}
          />
        );
      })}
      <p className="asked">stray voltage, coolant to battery ground</p>
      <div className="typed-fields">
        {strays.map((s) => (
          <label key={s.name}>
            {s.label}
            <input
              inputMode="decimal"
              value={textOf(body?.[s.name])}
              onChange={(e) => send({ ...without(s.name), ...(e.target.value ? { [s.name]: e.target.value } : {}) })}
            />
          </label>
        ))}
      </div>
    </>
  );
}
