import { useMutation } from "@tanstack/react-query";
import type { FileFormat } from "../words/csv";

const formats: readonly (readonly [FileFormat, string])[] = [
  ["csv", "CSV"],
  ["xlsx", "XLSX"],
];

/** The list as a file and on paper. Both have every line, which may have to be fetched first. */
export function TakeAlong(p: {
  what: string;
  file: (as: FileFormat) => Promise<void> | void;
  json?: () => Promise<void> | void;
  print?: () => Promise<void> | void;
}) {
  const taking = useMutation({ mutationFn: async (act: () => Promise<void> | void) => act() });
  const { print, json } = p;
  return (
    <span className="end no-print" role="group" aria-label={`${p.what} as a file or on paper`}>
      {taking.error && <span className="alarm">{taking.error.message}</span>}
      {formats.map(([as, label]) => (
        <button
          key={as}
          type="button"
          className="act"
          disabled={taking.isPending}
          onClick={() => taking.mutate(() => p.file(as))}
        >
          {taking.isPending ? "fetching …" : label}
        </button>
      ))}
      {json && (
        <button type="button" className="act" disabled={taking.isPending} onClick={() => taking.mutate(json)}>
          JSON
        </button>
      )}
      {print && (
        <button type="button" className="act" disabled={taking.isPending} onClick={() => taking.mutate(print)}>
          print
        </button>
      )}
    </span>
  );
}
