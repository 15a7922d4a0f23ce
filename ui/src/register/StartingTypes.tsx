import { useMutation, useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { type Schemas, api } from "../api/client";
import { Tick } from "../account/fields";
import { Failed, Waiting } from "../frame/State";

/** Types to start from: common practice, of which those that are chosen are added. */
export function StartingTypes({ onAdded }: { onAdded: () => void }) {
  const [open, setOpen] = useState(false);
  return (
    <section className="section" aria-label="Types to start from" style={{ marginTop: "20px" }}>
      <button type="button" className="act" aria-expanded={open} onClick={() => setOpen(!open)}>
        {open ? "close the types to start from" : "types to start from"}
      </button>
      {open && <Starting what={["types"]} onAdded={onAdded} />}
    </section>
  );
}

const titles = { types: "Types", plans: "Service plans" };

/** What a register may begin with; all that is not there yet is chosen at first. */
export function Starting(p: { what: readonly ("types" | "plans")[]; onAdded: () => void }) {
  const starting = useQuery({ queryKey: ["starting"], queryFn: ({ signal }) => api.startingRegister(signal) });
  const [out, setOut] = useState<ReadonlySet<string>>(new Set());
  const chosen = (of: "types" | "plans") =>
    p.what.includes(of)
      ? (starting.data?.[of] ?? []).filter((r) => !r.there && !out.has(r.name)).map((r) => r.name)
      : [];
  const take = useMutation({
    mutationFn: () => api.takeStartingRegister({ types: chosen("types"), plans: chosen("plans") }),
    onSuccess: async () => {
      await starting.refetch();
      p.onAdded();
    },
  });
  const turn = (name: string, on: boolean) => {
    const next = new Set(out);
    if (on) next.delete(name);
    else next.add(name);
    setOut(next);
  };
  const n = chosen("types").length + chosen("plans").length;
  return (
    <>
      {starting.isPending && <Waiting what="what to start from" />}
      {starting.error && <Failed error={starting.error} again={() => void starting.refetch()} />}
      {starting.data &&
        p.what.map((of) => (
          <div key={of} role="group" aria-label={titles[of]}>
            <h3 className="subheading">{titles[of]}, common practice; the maker’s manual overrules them</h3>
            {starting.data[of].map((r) => (
              <StartingLine key={r.name} record={r} on={!out.has(r.name)} onTurn={(on) => turn(r.name, on)} />
            ))}
          </div>
        ))}
      {starting.data && (
        <p aria-live="polite" style={{ paddingTop: "8px" }}>
          <button type="button" className="solid" disabled={n === 0 || take.isPending} onClick={() => take.mutate()}>
            add {n === 1 ? "the one chosen" : `the ${n} chosen`}
          </button>{" "}
          {take.isSuccess && `${take.data.keys.length} added.`}
          {take.error && <span className="alarm">{take.error.message}</span>}
        </p>
      )}
    </>
  );
}

function StartingLine(p: { record: Schemas["StartingRecord"]; on: boolean; onTurn: (on: boolean) => void }) {
  const { record } = p;
  return (
    <div className="starting-line">
      {record.there ? (
        <span className="strong">{record.name}</span>
      ) : (
        <Tick label={record.name} checked={p.on} onCheck={p.onTurn} />
      )}
      <span className="faint">{record.there ? "in the register" : record.text}</span>
    </div>
  );
}
