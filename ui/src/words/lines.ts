import type { EntryKind, Line } from "../api/client";
import { asRead, figure } from "./figures";

export const kindNames: Record<EntryKind, string> = {
  fill: "Fill",
  top_up: "Top-up",
  loss: "Loss",
  freeze_test: "Freeze test",
  meter: "Meter",
};

/** What a ledger line says, without its kind. */
export function says(line: Line): string {
  const read = line.reading ? asRead(line.reading) : "";
  switch (line.kind) {
    case "fill":
      return [
        read,
        line.share !== undefined ? `${figure(line.share)} %` : "",
        line.product?.name ?? "",
        line.factory ? "· came with the unit" : "",
        line.meter ? `· at ${asRead(line.meter)}` : "",
      ]
        .filter(Boolean)
        .join(" ");
    case "top_up":
      return `${read} ${line.with === "water" ? "purified water" : (line.product?.name ?? "")}`;
    case "loss":
      return line.note ? `${read}: ${line.note}` : read;
    case "freeze_test":
      return `${line.instrument ?? ""} ${read}, ${line.scale ?? ""} scale`;
    case "meter":
      return read;
  }
}

/** How a test stands to the book, as words; empty for other lines. */
export function reconciles(line: Line): string {
  const t = line.test;
  if (!t?.trusted) return "";
  if (t.book === undefined) return "nothing in the book to compare";
  if (t.agrees) return `book ${figure(t.book)}: agrees`;
  return `book ${figure(t.book)}: off by ${figure(Math.abs(t.measured - t.book))}\u00a0K`;
}
