import { celsius } from "../words/figures";

interface Props {
  /** What one, two, … floating discs protect to, °C. */
  chart: readonly number[];
  /** How many float; undefined before the first tap. */
  floating?: number;
  onFloating: (n: number) => void;
}

const step = 46;
const wide = 40;

/** The disc tester as this one is: its tube with its discs; tap how many float. */
export function Discs({ chart, floating, onFloating }: Props) {
  const width = 16 + chart.length * step;
  return (
    <div role="group" aria-label="Discs that float">
      <svg className="drawn discs" viewBox={`0 0 ${width} 130`} aria-hidden="true" focusable="false">
        <rect x="1.5" y="1.5" width={width - 3} height="127" rx="12" className="glass" />
        <path d={`M4 64h${width - 8}`} className="surface" />
        {chart.map((t, i) => {
          const up = floating !== undefined && i < floating;
          const x = 8 + i * step + (step - wide) / 2;
          return (
            <g
              key={t}
              className={up ? "disc up" : "disc"}
              onClick={() => onFloating(up && floating === i + 1 ? i : i + 1)}
            >
              <rect x={x - 3} y="6" width={step} height="118" fill="transparent" />
              <ellipse cx={x + wide / 2} cy={up ? 30 : 100} rx={wide / 2} ry="13" />
              <text x={x + wide / 2} y={up ? 34.5 : 104.5} textAnchor="middle">
                {String(t).replace("-", "−")}
              </text>
            </g>
          );
        })}
      </svg>
      <div className="choices">
        {[0, ...chart.map((_, i) => i + 1)].map((n) => (
          <button
            key={n}
            type="button"
            className="choice narrow"
            aria-pressed={floating === n}
            aria-label={n === 0 ? "0 float" : `${n} of ${chart.length} float: ${celsius(chart[n - 1])}`}
            onClick={() => onFloating(n)}
          >
            {n}
          </button>
        ))}
      </div>
    </div>
  );
}
