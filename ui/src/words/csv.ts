import { api } from "../api/client";

type Cell = string | number | undefined;

const quoted = (v: string) => (/[",\r\n]/.test(v) ? `"${v.replaceAll('"', '""')}"` : v);
/** A text that a spreadsheet would take for a formula is marked as text. */
const safe = (v: string) => (/^[=+\-@\t\r]/.test(v) ? `'${v}` : v);

/** Rows as comma-separated values (RFC 4180). Numbers and ISO dates are left as they are. */
const csvOf = (heads: readonly string[], rows: readonly (readonly Cell[])[]) =>
  [heads, ...rows]
    .map((row) => row.map((c) => (typeof c === "number" ? String(c) : quoted(safe(c ?? "")))).join(","))
    .join("\r\n") + "\r\n";

/** The formats in which a list is handed over. */
export type FileFormat = "csv" | "xlsx";

/** Hands rows over as a file: CSV with a byte order mark, by which spreadsheets know UTF-8, or a workbook. */
export async function download(
  as: FileFormat,
  name: string,
  heads: readonly string[],
  rows: readonly (readonly Cell[])[],
) {
  const content =
    as === "csv"
      ? new Blob(["\ufeff", csvOf(heads, rows)], { type: "text/csv;charset=utf-8" })
      : await api.workbook({ name, heads: [...heads], rows: rows.map((row) => row.map((c) => c ?? "")) });
  handOver(content, `${name}.${as}`);
}

/** Hands a value over as a JSON file. */
export function downloadJSON(name: string, value: unknown) {
  handOver(new Blob([JSON.stringify(value, null, 2)], { type: "application/json" }), `${name}.json`);
}

function handOver(content: Blob, name: string) {
  const link = document.createElement("a");
  link.href = URL.createObjectURL(content);
  link.download = name;
  link.click();
  URL.revokeObjectURL(link.href);
}
