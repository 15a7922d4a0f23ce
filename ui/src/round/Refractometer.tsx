import { useQuery } from "@tanstack/react-query";
import { type KeyboardEvent, type PointerEvent, useRef } from "react";
import { figure, inTemperature, unitOf } from "../words/figures";
import { type ScaleLine, scaleOf } from "./core";

interface Props {
  /** Scales of the field: EG and PG on the two sides, or the one that there is. */
  scales: readonly ("EG" | "PG")[];
  /** The scale that is read. */
  scale: "EG" | "PG";
  /** °C of the line; undefined before the first touch. */
  value?: number;
  onValue: (celsius: number) => void;
}

// The field, in the drawing's own units.
const high = 270;
const middle = 135;
const radius = 131;
/** Of the strong end of the scale, from the edge of the drawing; the line of water is as far from the other. */
const top = 44;

const yOf = (at: number) => top + (1 - at) * (high - 2 * top);

/** A refractometer's field with its scale: the boundary of the shadow is dragged, moved by arrow keys, or typed. */
export function Refractometer({ scales, scale, value, onValue }: Props) {
  const eg = useQuery({ queryKey: ["scale", "EG"], queryFn: () => scaleOf("freeze", "EG"), staleTime: Infinity });
  const pg = useQuery({ queryKey: ["scale", "PG"], queryFn: () => scaleOf("freeze", "PG"), staleTime: Infinity });
  const field = useRef<SVGSVGElement>(null);
  const lines = { EG: eg.data, PG: pg.data }[scale];
  if (!lines) return <p className="faint">{eg.error?.message ?? "drawing the scale …"}</p>;
  const last = lines[lines.length - 1]?.value ?? 0;
  const at = value === undefined ? undefined : placeOf(lines, value);
  const nearest = (y: number) => {
    const place = 1 - (y - top) / (high - 2 * top);
    return lines.reduce((best, l) => (Math.abs(l.at - place) < Math.abs(best.at - place) ? l : best)).value;
  };
  function drag(event: PointerEvent<SVGSVGElement>) {
    const box = field.current?.getBoundingClientRect();
    if (!box || event.buttons === 0) return;
    event.currentTarget.setPointerCapture(event.pointerId);
    onValue(nearest(((event.clientY - box.top) / box.height) * high));
  }
  function press(event: KeyboardEvent) {
    const by = { ArrowUp: -1, ArrowRight: -1, ArrowDown: 1, ArrowLeft: 1, PageUp: -5, PageDown: 5 }[event.key];
    if (by === undefined) return;
    event.preventDefault();
    onValue(Math.max(last, Math.min(0, Math.round(value ?? 0) + by)));
  }
  const shown = value === undefined ? "not set" : `${figure(inTemperature(value))} ${unitOf("temperature")}`;
  return (
    <div
      className="refractometer"
      role="slider"
      tabIndex={0}
      aria-label={`Line on the ${scale} scale`}
      aria-valuemin={last}
      aria-valuemax={0}
      aria-valuenow={value ?? 0}
      aria-valuetext={shown}
      aria-orientation="vertical"
      onKeyDown={press}
    >
      <svg
        ref={field}
        className="drawn field-of"
        viewBox={`0 0 270 ${high}`}
        aria-hidden="true"
        focusable="false"
        onPointerDown={drag}
        onPointerMove={drag}
      >
        <defs>
          <clipPath id="eyepiece">
            <circle cx={middle} cy={high / 2} r={radius} />
          </clipPath>
        </defs>
        <g clipPath="url(#eyepiece)">
          <rect width="270" height={high} className="lit" />
          <rect width="270" height={at === undefined ? 0 : yOf(at)} className="unlit" />
        </g>
        <circle cx={middle} cy={high / 2} r={radius} className="ring" />
        {scales.map((s) => (
          <Scale
            key={s}
            name={s}
            lines={{ EG: eg.data, PG: pg.data }[s] ?? []}
            read={s === scale}
            two={scales.length > 1}
          />
        ))}
        {at !== undefined && (
          <g>
            <path d={`M14 ${yOf(at)}h242`} className="boundary" />
            <rect x="206" y={yOf(at) - 13} width="62" height="26" className="flag" />
            <text x="237" y={yOf(at) + 5.5} textAnchor="middle" className="flag-text">
              {figure(inTemperature(value))}°
            </text>
          </g>
        )}
      </svg>
    </div>
  );
}

/** Where a value is on the scale; between two lines it is between them. */
function placeOf(lines: readonly ScaleLine[], value: number): number {
  const after = lines.findIndex((l) => l.value <= value);
  const b = lines[after];
  const a = lines[after - 1];
  if (after < 0 || !b) return 1;
  if (!a) return b.at;
  return a.at + ((b.at - a.at) * (a.value - value)) / (a.value - b.value);
}

function Scale(p: { name: string; lines: readonly ScaleLine[]; read: boolean; two: boolean }) {
  const left = p.name === "EG" || !p.two;
  const x = p.two ? (left ? 116 : 154) : 128;
  return (
    <g className={p.read ? "scale read" : "scale"}>
      <text x={x + (left ? -10 : 10)} y={high - 20} textAnchor="middle" className="name">
        {p.name}
      </text>
      {p.lines.map((l) => {
        const long = l.value % 10 === 0;
        if (l.value % 2 !== 0 && l.value % 5 !== 0) return null;
        const length = long ? 18 : l.value % 5 === 0 ? 12 : 7;
        return (
          <g key={l.value}>
            <path d={`M${x} ${yOf(l.at)}h${left ? -length : length}`} />
            {long && (
              <text x={x + (left ? -22 : 22)} y={yOf(l.at) + 4} textAnchor={left ? "end" : "start"}>
                {figure(inTemperature(l.value))}
              </text>
            )}
          </g>
        );
      })}
    </g>
  );
}
