interface Props {
  value: string;
  sample: string;
  onChange: (part: { value?: string; sample?: string }) => void;
}

// Span of the stem: relative density 1.000 at the surface end to 1.100.
const light = 1;
const dense = 1.1;

/** A hydrometer in its glass with the thermometer of the sample; both are typed as they are read. */
export function Hydrometer({ value, sample, onChange }: Props) {
  const typed = Number(value.replace(",", "."));
  const density = typed > 100 ? typed / 1000 : typed;
  const place =
    Number.isFinite(density) && density > 0 ? Math.min(1, Math.max(0, (density - light) / (dense - light))) : 0;
  const t = Number(sample.replace(",", ".").replace("−", "-"));
  const mercury = Number.isFinite(t) && sample !== "" ? Math.min(100, Math.max(-10, t)) : undefined;
  return (
    <div className="beside">
      <svg className="drawn" viewBox="0 0 130 170" aria-hidden="true" focusable="false">
        <rect x="8" y="20" width="66" height="146" rx="8" className="glass" />
        <rect x="10" y="70" width="62" height="94" rx="6" className="coolant" />
        <g transform={`translate(0 ${-34 * place})`}>
          <rect x="36" y="30" width="10" height="80" className="glass" />
          {Array.from({ length: 11 }, (_, i) => (
            <path key={i} d={`M36 ${70 + 3.4 * i}h${i % 5 === 0 ? 10 : 6}`} className="mark" />
          ))}
          <ellipse cx="41" cy="124" rx="13" ry="20" className="bulb" />
        </g>
        <rect x="100" y="20" width="10" height="120" rx="5" className="glass" />
        <circle cx="105" cy="148" r="11" className="bulb" />
        {mercury !== undefined && (
          <rect x="103" y={138 - mercury} width="4" height={12 + mercury} className="boundary-fill" />
        )}
      </svg>
      <div className="typed-fields">
        <label>
          relative density
          <input
            inputMode="decimal"
            value={value}
            placeholder="1.073"
            onChange={(e) => onChange({ value: e.target.value })}
          />
        </label>
        <label>
          sample at, °C
          <input
            inputMode="text"
            value={sample}
            placeholder="18"
            onChange={(e) => onChange({ sample: e.target.value })}
          />
        </label>
      </div>
    </div>
  );
}
