import { useId } from "react";
import type { WalkPoint } from "./types";

/** What a system of a kind is drawn as; everything in per cent of the drawing. */
interface Drawing {
  readonly boxes: readonly { readonly at: readonly [number, number, number, number]; readonly name: string }[];
  readonly pipes: readonly string[];
  /** Raw water and other lines that are not the circuit's. */
  readonly other?: readonly string[];
  readonly points: Readonly<Partial<Record<string, readonly [number, number]>>>;
}

const car: Drawing = {
  boxes: [
    { at: [5, 22, 12, 58], name: "radiator" },
    { at: [44, 34, 36, 42], name: "engine" },
    { at: [86, 16, 11, 24], name: "heater" },
    { at: [24, 5, 13, 13], name: "tank" },
  ],
  pipes: [
    "M17 28C28 28 32 38 44 40",
    "M17 74C28 76 32 70 44 68",
    "M70 34V26H86",
    "M86 36H80V48",
    "M52 34V26H38V62H44",
    "M12 22V12H24",
  ],
  points: {
    cap: [10, 14],
    recovery: [19, 7],
    recovery_tank: [31, 13],
    fins: [11, 50],
    upper: [29, 29],
    lower: [29, 77],
    thermostat: [48, 40],
    pump: [47, 68],
    weep_hole: [56, 83],
    bypass: [38, 48],
    heater_feed: [73, 21],
    heater_return: [83, 53],
    drain_plug: [10, 89],
    block_heater: [73, 69],
    ground: [36, 94],
  },
};

const motorcycle: Drawing = {
  boxes: [
    { at: [12, 20, 11, 50], name: "radiator" },
    { at: [48, 38, 34, 40], name: "engine" },
    { at: [56, 6, 16, 14], name: "tank" },
  ],
  pipes: ["M23 28C34 26 38 40 48 44", "M23 64C34 68 38 72 48 70", "M58 38V30H42V62H48", "M18 20V12H56"],
  points: {
    cap: [17, 12],
    recovery: [38, 8],
    recovery_tank: [65, 14],
    fins: [17, 45],
    upper: [33, 30],
    lower: [33, 72],
    thermostat: [52, 44],
    pump: [53, 68],
    weep_hole: [62, 86],
    bypass: [44, 54],
    drain_plug: [17, 82],
    ground: [84, 92],
  },
};

const boat: Drawing = {
  boxes: [
    { at: [8, 32, 22, 30], name: "heat exchanger" },
    { at: [11, 12, 16, 18], name: "header tank" },
    { at: [46, 38, 32, 38], name: "engine" },
    { at: [84, 22, 14, 24], name: "hot water" },
    { at: [36, 6, 11, 12], name: "bottle" },
  ],
  pipes: [
    "M30 38C36 38 40 44 46 44",
    "M30 58C36 60 40 68 46 68",
    "M68 38V28H84",
    "M84 42H81V56H78",
    "M54 38V30H40V62H46",
    "M24 14H36",
  ],
  other: ["M12 98V62", "M12 32V26H4V4H62V12H94V96"],
  points: {
    cap: [19, 8],
    recovery: [31, 20],
    recovery_tank: [42, 12],
    heat_exchanger: [15, 47],
    anodes: [26, 47],
    upper: [38, 36],
    lower: [38, 72],
    thermostat: [50, 45],
    bypass: [41, 54],
    pump: [52, 67],
    weep_hole: [54, 85],
    heater_feed: [75, 24],
    heater_return: [85, 55],
    impeller: [12, 80],
    anti_siphon: [68, 8],
    drain_plug: [31, 85],
    block_heater: [70, 66],
    ground: [75, 92],
  },
};

const aircraft: Drawing = {
  boxes: [
    { at: [32, 34, 40, 28], name: "engine" },
    { at: [38, 78, 28, 12], name: "radiator" },
    { at: [42, 12, 20, 16], name: "header tank" },
    { at: [80, 18, 12, 16], name: "bottle" },
  ],
  pipes: ["M32 44C22 44 22 84 38 84", "M66 84C82 84 82 54 72 54", "M48 34V28", "M58 34V28", "M62 18H80"],
  points: {
    cap: [52, 9],
    recovery: [71, 14],
    recovery_tank: [87, 26],
    upper: [22, 60],
    lower: [80, 68],
    bypass: [42, 30],
    thermostat: [38, 46],
    pump: [64, 52],
    weep_hole: [68, 68],
    fins: [52, 84],
    drain_plug: [30, 92],
    ground: [88, 92],
  },
};

const drawings: Readonly<Partial<Record<string, Drawing>>> = { car, truck: car, motorcycle, boat, aircraft };

/** What was found at a point, as its mark shows it. */
export type Found = "good" | "soft" | "bad" | "unknown" | "recorded" | undefined;

const marks: Readonly<Record<string, string>> = { good: "✓", soft: "△", bad: "✕", unknown: "?", recorded: "•" };
const said: Readonly<Record<string, string>> = {
  good: "good",
  soft: "watch",
  bad: "bad",
  unknown: "not judged",
  recorded: "answered",
};

interface Props {
  kind: string;
  points: readonly WalkPoint[];
  found: (code: string) => Found;
  chosen?: string;
  onChoose: (code: string) => void;
}

/** The system of the unit, drawn for its kind; tap a point to say what was found there. */
export function System({ kind, points, found, chosen, onChoose }: Props) {
  const d = drawings[kind] ?? car;
  const title = useId();
  return (
    <div className="system" role="group" aria-labelledby={title}>
      <p id={title} className="hidden-label">
        Points of the system
      </p>
      <svg className="drawn" viewBox="0 0 100 100" preserveAspectRatio="none" aria-hidden="true" focusable="false">
        {d.other?.map((p) => (
          <path key={p} d={p} className="raw" vectorEffect="non-scaling-stroke" />
        ))}
        {d.pipes.map((p) => (
          <path key={p} d={p} className="pipe" vectorEffect="non-scaling-stroke" />
        ))}
        {d.boxes.map(({ at: [x, y, w, h], name }) => (
          <rect
            key={name}
            x={x}
            y={y}
            width={w}
            height={h}
            rx="1.5"
            className="part"
            vectorEffect="non-scaling-stroke"
          />
        ))}
      </svg>
      {d.boxes.map(({ at: [x, y, w, h], name }) => (
        <span
          key={name}
          className="part-name"
          style={{ left: `${x + w / 2}%`, top: `${w < 16 || h < 14 ? y + h + 4 : y + h - 6}%` }}
          aria-hidden="true"
        >
          {name}
        </span>
      ))}
      {points.map((p) => {
        const at = d.points[p.code];
        if (!at) return null;
        const f = found(p.code);
        return (
          <button
            key={p.code}
            type="button"
            className={`point ${f ?? ""}`}
            style={{ left: `${at[0]}%`, top: `${at[1]}%` }}
            aria-label={`${p.name}${f ? `, ${said[f] ?? ""}` : ""}`}
            aria-pressed={chosen === p.code}
            title={p.name}
            onClick={() => onChoose(p.code)}
          >
            <span>{f ? marks[f] : ""}</span>
          </button>
        );
      })}
    </div>
  );
}
