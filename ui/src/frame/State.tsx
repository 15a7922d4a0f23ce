import type { ReactNode } from "react";

/** Shown while the figures of a page are loading. */
export function Waiting({ what }: { what: string }) {
  return (
    <p className="wait" role="status">
      fetching {what} …
    </p>
  );
}

/** Shown when the figures of a page could not be loaded. */
export function Failed({ error, again, children }: { error: Error; again?: () => void; children?: ReactNode }) {
  return (
    <div className="notice" role="alert">
      <p>{error.message}</p>
      {children}
      {again && (
        <button type="button" className="act framed" style={{ marginTop: "8px" }} onClick={again}>
          try again
        </button>
      )}
    </div>
  );
}
