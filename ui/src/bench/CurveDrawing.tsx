import { scaleLinear } from "d3-scale";
import { line } from "d3-shape";
import type { Schemas } from "../api/client";
import { figure } from "../words/figures";

type Curve = Schemas["Curve"];
type Point = Schemas["CurvePoint"];

const size = {
  width: 460,
  left: 46,
  right: 14,
  boilTop: 22,
  boilHeight: 70,
  freezeTop: 126,
  freezeHeight: 210,
  bottom: 34,
};
const ink = "var(--chakra-colors-ink)";
const faint = "var(--chakra-colors-faint)";
const rule = "var(--chakra-colors-rule)";
const accent = "var(--chakra-colors-accent)";
const cold = "var(--chakra-colors-cold)";

/** Freeze and boil over strength, two panels over one axis, with the point asked about and its uncertainty. */
export function CurveDrawing({ curve }: { curve: Curve }) {
  // No one runs more than 65 %; a little more shows how it turns.
  const most = Math.min(Math.max(...curve.freeze.map((p) => p.percent)), Math.max(72, (curve.at?.percent ?? 0) + 6));
  const frozen = curve.freeze.filter((p) => p.percent <= most);
  const x = scaleLinear([0, most], [size.left, size.width - size.right]);
  const freezeBottom = size.freezeTop + size.freezeHeight;
  const lowest = Math.min(...frozen.map((p) => p.temperature), curve.at?.low ?? 0, curve.night ?? 0);
  const highest = Math.max(...frozen.map((p) => p.temperature));
  const freeze = scaleLinear([lowest, highest], [freezeBottom, size.freezeTop]).nice(5);
  const shown = curve.boil.filter((p) => p.percent <= most);
  const boil = scaleLinear(
    [Math.min(...shown.map((p) => p.temperature)), Math.max(...shown.map((p) => p.temperature))],
    [size.boilTop + size.boilHeight, size.boilTop],
  );
  const path = (points: readonly Point[], y: (t: number) => number) =>
    line<Point>(
      (p) => x(p.percent),
      (p) => y(p.temperature),
    )(points as Point[]) ?? undefined;
  const { at, night } = curve;
  const says = [
    `Freeze and boiling point of ${curve.base} in water over per cent by volume.`,
    at ? `At ${figure(at.percent)} per cent it freezes at ${figure(at.temperature)} ${curve.unit}.` : "",
    night === undefined ? "" : `Coldest night ${figure(night)} ${curve.unit}.`,
  ].join(" ");
  return (
    <svg
      style={{ maxWidth: "100%", height: "auto" }}
      viewBox={`0 0 ${size.width} ${freezeBottom + size.bottom}`}
      role="img"
      aria-label={says}
      width={size.width}
    >
      <defs>
        <pattern id="cold" width="6" height="6" patternUnits="userSpaceOnUse" patternTransform="rotate(45)">
          <path d="M0 0V6" stroke={cold} strokeWidth="1.6" />
        </pattern>
      </defs>
      <Axis ticks={boil.ticks(3)} at={boil} unit={curve.unit} title="boils, open" top={size.boilTop} />
      <path d={path(shown, boil)} fill="none" stroke={faint} strokeWidth="1.6" />
      {night !== undefined && night > (freeze.domain()[0] ?? night) && (
        <>
          <rect
            x={size.left}
            y={freeze(night)}
            width={size.width - size.left - size.right}
            height={freezeBottom - freeze(night)}
            fill="url(#cold)"
          />
          <path
            d={`M${size.left} ${freeze(night)}H${size.width - size.right}`}
            stroke="var(--chakra-colors-faint)"
            strokeWidth="1.4"
          />
          <text x={size.left + 6} y={freeze(night) - 5} style={{ fontSize: "12px" }} fill={faint}>
            coldest night {figure(night)}
          </text>
        </>
      )}
      <Axis ticks={freeze.ticks(6)} at={freeze} unit={curve.unit} title="freezes" top={size.freezeTop} />
      <path d={path(frozen, freeze)} fill="none" stroke={ink} strokeWidth="2" />
      {x.ticks(8).map((t) => (
        <text key={t} x={x(t)} y={freezeBottom + 15} style={{ fontSize: "11px" }} textAnchor="middle" fill={faint}>
          {t}
        </text>
      ))}
      <text
        x={size.width - size.right}
        y={freezeBottom + 30}
        style={{ fontSize: "12px" }}
        textAnchor="end"
        fill={faint}
      >
        % {curve.base} by volume
      </text>
      {at && (
        <g>
          <path
            d={`M${x(at.percent)} ${freeze(at.low)}V${freeze(at.high)}M${x(at.percent) - 7} ${freeze(at.low)}h14M${x(at.percent) - 7} ${freeze(at.high)}h14`}
            stroke={accent}
            strokeWidth="2"
            fill="none"
          />
          <circle
            cx={x(at.percent)}
            cy={freeze(at.temperature)}
            r="3.4"
            fill="var(--chakra-colors-page)"
            stroke={accent}
            strokeWidth="2"
          />
          <text
            x={x(at.percent) + (at.percent > most * 0.75 ? -10 : 10)}
            y={freeze(at.temperature) - 8}
            style={{ fontSize: "14px", fontWeight: 700 }}
            textAnchor={at.percent > most * 0.75 ? "end" : "start"}
            fill={ink}
            stroke="var(--chakra-colors-page)"
            strokeWidth="4"
            paintOrder="stroke"
          >
            {figure(at.temperature)} {curve.unit}
          </text>
        </g>
      )}
    </svg>
  );
}

function Axis(p: { ticks: readonly number[]; at: (t: number) => number; unit: string; title: string; top: number }) {
  return (
    <g>
      <text x={size.left} y={p.top - 9} style={{ fontSize: "12px" }} fill={faint}>
        {p.title}, {p.unit}
      </text>
      {p.ticks.map((t) => (
        <g key={t}>
          <path d={`M${size.left} ${p.at(t)}H${size.width - size.right}`} stroke={rule} strokeWidth="1" />
          <text x={size.left - 7} y={p.at(t) + 4} style={{ fontSize: "11px" }} textAnchor="end" fill={faint}>
            {figure(t)}
          </text>
        </g>
      ))}
    </g>
  );
}
