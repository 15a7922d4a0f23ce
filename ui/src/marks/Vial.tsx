import type { Verdict } from "../api/client";

// Inside of the glass, in the drawing's own units.
const top = 4;
const height = 14;

/**
 * The mark of a verdict, a small sight glass: its level is the share of the governing interval that is left. Overdue is
 * empty over a red stroke, hold is solid with a slash, unknown is dashed with a question mark; a share it is not known
 * leaves the glass dashed. The word is beside it wherever it is used, so the drawing is hidden from screen readers.
 */
export function Vial({ verdict, left }: { verdict: Verdict; left?: number }) {
  const unsure = left === undefined && verdict !== "hold" && verdict !== "overdue";
  const level = verdict === "overdue" || verdict === "hold" ? 0 : (left ?? 0);
  return (
    <svg className="vial" width="16" height="26" viewBox="0 0 16 26" aria-hidden="true" focusable="false">
      <rect
        x="3.5"
        y="2.5"
        width="9"
        height="17"
        rx="4.5"
        fill={verdict === "hold" ? "currentColor" : "none"}
        stroke="currentColor"
        strokeWidth={verdict === "unknown" ? 1 : 1.4}
        strokeDasharray={unsure ? "2.2 1.8" : undefined}
      />
      {verdict !== "unknown" && <path d="M12.5 7.5h2.5" stroke="currentColor" strokeWidth="1.2" />}
      {verdict === "hold" && <path d="M5.5 15l5-8" stroke="var(--chakra-colors-page)" strokeWidth="2" />}
      {verdict === "unknown" ? (
        <text x="8" y="14.8" textAnchor="middle" style={{ fontSize: "11px", fontWeight: 800 }} fill="currentColor">
          ?
        </text>
      ) : (
        <>
          <clipPath id="glass">
            <rect x="4.6" y="3.6" width="6.8" height="14.8" rx="3.4" />
          </clipPath>
          <rect
            clipPath="url(#glass)"
            x="4"
            y={top + height * (1 - level)}
            width="8"
            height={height * level + 1}
            fill={level > 0 ? "var(--chakra-colors-accent)" : "none"}
          />
        </>
      )}
      {verdict === "overdue" && <path d="M2 23.5h12" stroke="var(--chakra-colors-alarm)" strokeWidth="2.4" />}
    </svg>
  );
}
