import type { ReactNode } from "react";

/** What stands on the page while its figures are on their way. */
export function Waiting({ what }: { what: string }) {
  return (
    <p className="wait" role="status">
      fetching {what} …
    </p>
  );
}

/** What stands on the page when its figures did not come. */
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
