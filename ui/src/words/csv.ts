type Cell = string | number | undefined;

const quoted = (v: string) => (/[",\r\n]/.test(v) ? `"${v.replaceAll('"', '""')}"` : v);
/** A text that a spreadsheet would take for a formula is marked as text. */
const safe = (v: string) => (/^[=+\-@\t\r]/.test(v) ? `'${v}` : v);

/** Rows as comma-separated values (RFC 4180). Numbers and ISO dates are left as they are. */
const csvOf = (heads: readonly string[], rows: readonly (readonly Cell[])[]) =>
  [heads, ...rows]
    .map((row) => row.map((c) => (typeof c === "number" ? String(c) : quoted(safe(c ?? "")))).join(","))
    .join("\r\n") + "\r\n";

/** Hands rows over as a file; it begins with a byte order mark, by which spreadsheets know UTF-8. */
export function download(name: string, heads: readonly string[], rows: readonly (readonly Cell[])[]) {
  const link = document.createElement("a");
  link.href = URL.createObjectURL(new Blob(["\ufeff", csvOf(heads, rows)], { type: "text/csv;charset=utf-8" }));
  link.download = `${name}.csv`;
  link.click();
  URL.revokeObjectURL(link.href);
}
