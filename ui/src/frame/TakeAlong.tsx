import { useMutation } from "@tanstack/react-query";

/** The list as a file and on paper. Both have every line, which may have to be fetched first. */
export function TakeAlong(p: { what: string; csv: () => Promise<void> | void; print?: () => Promise<void> | void }) {
  const taking = useMutation({ mutationFn: async (act: () => Promise<void> | void) => act() });
  const { print } = p;
  return (
    <span className="end no-print" role="group" aria-label={`${p.what} as a file or on paper`}>
      {taking.error && <span className="alarm">{taking.error.message}</span>}
      <button type="button" className="act" disabled={taking.isPending} onClick={() => taking.mutate(p.csv)}>
        {taking.isPending ? "fetching …" : "CSV"}
      </button>
      {print && (
        <button type="button" className="act" disabled={taking.isPending} onClick={() => taking.mutate(print)}>
          print
        </button>
      )}
    </span>
  );
}
