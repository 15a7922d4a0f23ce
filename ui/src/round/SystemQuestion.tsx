import { useState } from "react";
import { System, type Found } from "./System";
import type { Body } from "./Questions";
import type { WalkPoint, WalkView } from "./types";

interface HoseFound {
  readonly hose: string;
  readonly state: string;
  readonly clamp?: string;
}
interface PointFound {
  readonly point: string;
  readonly state?: string;
  readonly blocked?: string;
}

export const hosesOf = (body: Body | undefined) => (body?.hoses ?? []) as readonly HoseFound[];
export const pointsOf = (body: Body | undefined) => (body?.points ?? []) as readonly PointFound[];

interface Props {
  view: WalkView;
  kind: string;
  points: readonly WalkPoint[];
  hoses?: Body;
  inspection?: Body;
  cap?: Body;
  temper: "cold" | "hot";
  onHoses: (b: Body | undefined) => void;
  onInspection: (b: Body | undefined) => void;
  /** Everything was looked at and nothing was found: the cap is asked for. */
  onAll: () => void;
  /** Opens the questions of the cap. */
  onCap: () => void;
}

/** The system, drawn: a point is tapped, and what was found there chosen. */
export function SystemQuestion(p: Props) {
  const [chosen, setChosen] = useState<string>();
  const points = p.temper === "hot" ? p.points.filter((one) => one.hot) : p.points;
  const point = points.find((one) => one.code === chosen);
  const gradeOf = (one: WalkPoint): Found => {
    if (one.kind === "cap_test") return p.cap === undefined ? undefined : "recorded";
    const hose = hosesOf(p.hoses).find((h) => h.hose === one.code);
    const state = pointsOf(p.inspection).find((f) => f.point === one.code);
    const option = one.options.find((o) =>
      hose
        ? o.state === hose.state && o.clamp === (hose.clamp ?? "good")
        : state !== undefined && o.state === state.state,
    );
    return option?.grade ?? (state?.blocked ? "unknown" : undefined);
  };
  function set(one: WalkPoint, state: string | undefined, clamp: string | undefined) {
    if (one.kind === "hose_check") {
      const others = hosesOf(p.hoses).filter((h) => h.hose !== one.code);
      const hoses = state === undefined ? others : [...others, { hose: one.code, state, ...(clamp ? { clamp } : {}) }];
      p.onHoses(hoses.length > 0 ? { ...p.hoses, hoses } : undefined);
      return;
    }
    const others = pointsOf(p.inspection).filter((f) => f.point !== one.code);
    const all = state === undefined ? others : [...others, { point: one.code, state }];
    p.onInspection(all.length > 0 ? { ...p.inspection, points: all } : undefined);
  }
  function setBlocked(blocked: string) {
    const before = pointsOf(p.inspection).find((f) => f.point === "fins");
    const others = pointsOf(p.inspection).filter((f) => f.point !== "fins");
    const fins = { ...(before?.state ? { state: before.state } : {}), ...(blocked ? { blocked } : {}), point: "fins" };
    const all = before?.state || blocked ? [...others, fins] : others;
    p.onInspection(all.length > 0 ? { ...p.inspection, points: all } : undefined);
  }
  return (
    <>
      {p.temper === "cold" && (
        <button type="button" className="choice wide" onClick={p.onAll}>
          all looked at, nothing found
        </button>
      )}
      <System
        kind={p.kind}
        points={points}
        found={(code) => {
          const one = points.find((x) => x.code === code);
          return one && gradeOf(one);
        }}
        chosen={chosen}
        onChoose={(code) => (code === "cap" ? p.onCap() : setChosen(code === chosen ? undefined : code))}
      />
      {point && (
        <div className="point-sheet" role="group" aria-label={point.name}>
          <h3>
            {point.name}
            {point.last && <small> last: {point.last}</small>}
          </h3>
          <div className="choices column">
            {point.options.map((o) => {
              const hose = hosesOf(p.hoses).find((h) => h.hose === point.code);
              const state = pointsOf(p.inspection).find((f) => f.point === point.code);
              const pressed =
                point.kind === "hose_check"
                  ? hose?.state === o.state && (hose?.clamp ?? "good") === o.clamp
                  : state?.state === o.state;
              return (
                <button
                  key={o.name}
                  type="button"
                  className="choice with-lead"
                  aria-pressed={pressed}
                  onClick={() => set(point, pressed ? undefined : o.state, o.clamp)}
                >
                  {o.name}
                  <small>{o.leads}</small>
                </button>
              );
            })}
          </div>
          {point.code === "fins" && (
            <div className="typed-fields">
              <label>
                blocked, %
                <input
                  inputMode="decimal"
                  value={pointsOf(p.inspection).find((f) => f.point === "fins")?.blocked ?? ""}
                  onChange={(e) => setBlocked(e.target.value)}
                />
              </label>
            </div>
          )}
          <button type="button" className="act" onClick={() => setChosen(undefined)}>
            close
          </button>
        </div>
      )}
    </>
  );
}
