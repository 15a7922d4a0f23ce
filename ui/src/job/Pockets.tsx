import type { Schemas } from "../api/client";

type View = Schemas["JobView"];

const tall = 96;

/** The pockets of the system side by side: as wide as they hold, filled as far as they are, shaded by strength. */
export function Pockets({ view: v }: { view: View }) {
  const whole = v.pockets.reduce((sum, p) => sum + p.holds, 0) || 1;
  const gap = 6;
  const wide = 520 - gap * (v.pockets.length - 1);
  const widths = v.pockets.map((p) => Math.max(30, (p.holds / whole) * wide));
  const scale = wide / widths.reduce((a, b) => a + b, 0);
  const lefts = widths.map((_, i) => widths.slice(0, i).reduce((a, b) => a + b * scale + gap, 0));
  return (
    <figure className="pockets">
      <svg
        viewBox={`0 0 520 ${tall + 8}`}
        role="img"
        aria-label={v.pockets.map((p) => `${p.name}: ${p.text}, ${p.strength}`).join("; ")}
      >
        <defs>
          <pattern id="water" width="7" height="7" patternUnits="userSpaceOnUse" patternTransform="rotate(45)">
            <line x1="0" y1="0" x2="0" y2="7" stroke="var(--chakra-colors-ink)" strokeWidth="1" opacity="0.5" />
          </pattern>
        </defs>
        {v.pockets.map((p, i) => {
          const x = lefts[i] ?? 0;
          const w = (widths[i] ?? 0) * scale;
          const h = p.fill * tall;
          return (
            <g key={p.point}>
              <rect
                x={x}
                y={4}
                width={w}
                height={tall}
                fill="none"
                stroke="var(--chakra-colors-ink)"
                strokeWidth="1.5"
                strokeDasharray={p.point === "stays" ? "4 3" : undefined}
              />
              {p.share >= 0 ? (
                <>
                  <rect
                    x={x + 1}
                    y={4 + tall - h}
                    width={Math.max(0, w - 2)}
                    height={h}
                    fill="var(--chakra-colors-accent)"
                    opacity={0.12 + 0.8 * Math.min(1, p.share / 0.65)}
                  />
                  {p.share < 0.2 && h > 0 && (
                    <rect x={x + 1} y={4 + tall - h} width={Math.max(0, w - 2)} height={h} fill="url(#water)" />
                  )}
                </>
              ) : (
                <text x={x + w / 2} y={4 + tall / 2 + 6} textAnchor="middle" fontSize="20" fill="currentColor">
                  ?
                </text>
              )}
              <text x={x + 4} y={18} fontSize="12" fontWeight="700" fill="currentColor">
                {i + 1}
              </text>
            </g>
          );
        })}
      </svg>
      <ol className="pocket-names">
        {v.pockets.map((p) => (
          <li key={p.point}>
            <b>{p.name}</b> <span className="figures">{p.text}</span> <span className="faint">{p.strength}</span>
          </li>
        ))}
      </ol>
    </figure>
  );
}

/** Volume out above, volume in below, on one scale: they should be alike. */
export function Strip({ view: v }: { view: View }) {
  if (v.out === 0 && v.in === 0) return null;
  const most = Math.max(v.out + v.missing, v.in, 0.1);
  const share = (x: number) => `${(100 * x) / most}%`;
  return (
    <figure className="in-out" aria-label={v.balance ?? "volume out and in"}>
      <div>
        <span className="label">out</span>
        <span className="bar">
          <i className="out" style={{ width: share(v.out) }} />
          {v.missing > 0.005 && <i className="missing" style={{ width: share(v.missing) }} />}
        </span>
      </div>
      <div>
        <span className="label">in</span>
        <span className="bar">
          <i className="in" style={{ width: share(v.in) }} />
        </span>
      </div>
      {v.balance && <figcaption className={v.short ? "short" : undefined}>{v.balance}</figcaption>}
    </figure>
  );
}
