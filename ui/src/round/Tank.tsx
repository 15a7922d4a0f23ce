/** Levels of the tank from above, with where each lies in the drawing and what it is called. */
const levels = [
  { mark: "above", y: 24, name: "above the upper mark" },
  { mark: "max", y: 74, name: "at the upper mark" },
  { mark: "between", y: 124, name: "between the marks" },
  { mark: "min", y: 174, name: "at the lower mark" },
  { mark: "below", y: 224, name: "below the lower mark" },
  { mark: "empty", y: 274, name: "empty" },
] as const;

export type Mark = (typeof levels)[number]["mark"];

/** The tank with its two cold marks: tap where the level is. */
export function Tank({ mark, marks, onMark }: { mark?: Mark; marks?: number; onMark: (m: Mark) => void }) {
  const at = levels.find((l) => l.mark === mark)?.y;
  return (
    <div className="tank" role="group" aria-label="Level">
      <svg className="drawn" viewBox="0 0 96 300" aria-hidden="true" focusable="false">
        <path d="M32 2h28v8h-28z" className="glass" />
        <rect x="6" y="10" width="80" height="284" rx="12" className="glass" />
        {at !== undefined && mark !== "empty" && (
          <>
            <rect x="8" y={at} width="76" height={292 - at} rx="6" className="coolant" />
            <path d={`M8 ${at}h76`} className="boundary" />
          </>
        )}
        <path d="M6 74h26" className="mark" />
        <path d="M6 174h26" className="mark" />
        <text x="36" y="69" className="small">
          upper
        </text>
        <text x="36" y="169" className="small">
          lower
        </text>
        {marks !== undefined && (
          <text x="60" y="124" className="small" transform="rotate(90 60 124)" textAnchor="middle">
            {marks} mm
          </text>
        )}
        {levels.map((l) => (
          <rect
            key={l.mark}
            x="0"
            y={l.y - 25}
            width="96"
            height="50"
            fill="transparent"
            onClick={() => onMark(l.mark)}
          />
        ))}
      </svg>
      <div className="choices column">
        {levels.map((l) => (
          <button
            key={l.mark}
            type="button"
            className="choice"
            aria-pressed={mark === l.mark}
            onClick={() => onMark(l.mark)}
          >
            {l.name}
          </button>
        ))}
      </div>
    </div>
  );
}
