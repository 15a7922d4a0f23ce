import { useMutation, useQueryClient } from "@tanstack/react-query";
import { type SyntheticEvent, useState } from "react";
import { Link as RouterLink } from "react-router";
import { Problem, type Schemas, api } from "../api/client";
import { SelectField, TextField } from "../account/fields";
import { Submit } from "../frame/Submit";
import { figure } from "../words/figures";
import { type RegisterRecord, recordPath } from "./records";

type Circuit = Schemas["Circuit"];

const names: readonly Circuit[] = ["engine", "port", "starboard", "inverter", "battery", "charge-air", "rear-heater"];

const nameOf = (address: string) => address.slice(address.lastIndexOf(" ") + 1);

/** Cooling circuits of a unit: further ones are added, renamed, ended, reopened. */
export function Circuits({ record }: { record: RegisterRecord }) {
  const queries = useQueryClient();
  const [adding, setAdding] = useState(false);
  const [renaming, setRenaming] = useState<string>();
  const change = useMutation({
    mutationFn: (c: { address: string; name?: Circuit; ended?: boolean }) => {
      const { address, ...body } = c;
      return api.changeCircuit(address, body);
    },
    onSuccess: async () => {
      setRenaming(undefined);
      await queries.invalidateQueries();
    },
  });
  const taken = [...record.circuits, ...record.endedCircuits].map(nameOf);
  const free = names.filter((n) => !taken.includes(n));
  const { error } = change;
  return (
    <section className="section no-print" aria-label="Circuits" style={{ marginTop: "18px" }}>
      <div className="heading">
        <h2>Cooling circuits</h2>
        <span className="figures">{figure(Math.max(1, record.circuits.length))}</span>
      </div>
      <ul>
        {record.circuits.map((address, i) => (
          <li key={address} className="circuit-line" data-circuit={address}>
            <RouterLink className="link strong" to={recordPath("unit", i === 0 ? record.key : address)}>
              {address}
            </RouterLink>
            {renaming === address ? (
              <Renaming
                options={free}
                pending={change.isPending}
                onName={(name) => change.mutate({ address, name })}
                onClose={() => setRenaming(undefined)}
              />
            ) : (
              <>
                <button
                  type="button"
                  className="act"
                  aria-label={`rename ${address}`}
                  onClick={() => {
                    change.reset();
                    setRenaming(address);
                  }}
                >
                  rename
                </button>
                {i > 0 && (
                  <button
                    type="button"
                    className="act"
                    aria-label={`end from today on: ${address}`}
                    disabled={change.isPending}
                    onClick={() => change.mutate({ address, ended: true })}
                  >
                    end from today on
                  </button>
                )}
              </>
            )}
          </li>
        ))}
        {record.endedCircuits.map((address) => (
          <li key={address} className="circuit-line faint" data-circuit={address}>
            <RouterLink className="link" to={`/units/${encodeURIComponent(address)}`}>
              {address}
            </RouterLink>
            <span>ended; its books stay</span>
            <button
              type="button"
              className="act"
              aria-label={`reopen ${address}`}
              disabled={change.isPending}
              onClick={() => change.mutate({ address, ended: false })}
            >
              reopen
            </button>
          </li>
        ))}
      </ul>
      {error && (
        <p className="alarm" role="alert">
          {error instanceof Problem && error.fields[0]
            ? (error.refusalOf(error.fields[0].pointer) ?? error.message)
            : error.message}
        </p>
      )}
      {adding ? (
        <NewCircuit record={record} free={free} onClose={() => setAdding(false)} />
      ) : (
        <p style={{ paddingTop: "8px" }}>
          <button type="button" className="act framed" onClick={() => setAdding(true)}>
            add a circuit
          </button>
        </p>
      )}
    </section>
  );
}

function Renaming(p: {
  options: readonly Circuit[];
  pending: boolean;
  onName: (name: Circuit) => void;
  onClose: () => void;
}) {
  const [name, setName] = useState<Circuit>(p.options[0] ?? "engine");
  return (
    <form
      className="asking"
      noValidate
      onSubmit={(event) => {
        event.preventDefault();
        p.onName(name);
      }}
    >
      <SelectField
        label="new name"
        width="180px"
        value={name}
        options={p.options.map((n) => [n, n] as const)}
        onChange={setName}
      />
      <Submit beside disabled={p.pending}>
        rename
      </Submit>
      <button type="button" className="act" style={{ marginTop: "24px" }} onClick={p.onClose}>
        close
      </button>
    </form>
  );
}

function NewCircuit(p: { record: RegisterRecord; free: readonly Circuit[]; onClose: () => void }) {
  const queries = useQueryClient();
  const [circuit, setCircuit] = useState<Circuit>(p.free.find((n) => n !== "engine") ?? "engine");
  const [capacity, setCapacity] = useState("");
  const add = useMutation({
    mutationFn: () => api.addCircuit(p.record.key, { circuit, capacity }),
    onSuccess: async () => {
      p.onClose();
      await queries.invalidateQueries();
    },
  });
  const refusal = (pointer: string) => (add.error instanceof Problem ? add.error.refusalOf(pointer) : undefined);
  function submit(event: SyntheticEvent) {
    event.preventDefault();
    if (!add.isPending) add.mutate();
  }
  return (
    <form
      className="asking"
      style={{ alignItems: "flex-start" }}
      aria-label={`New circuit of ${p.record.name}`}
      noValidate
      onSubmit={submit}
    >
      <SelectField
        label="circuit"
        width="180px"
        value={circuit}
        options={p.free.map((n) => [n, n] as const)}
        error={refusal("/circuit")}
        onChange={setCircuit}
      />
      <TextField
        label="capacity"
        value={capacity}
        hint="its other facts are registered after it is added"
        error={refusal("/capacity")}
        onChange={(text) => {
          add.reset();
          setCapacity(text);
        }}
      />
      <Submit beside disabled={add.isPending}>
        add the circuit
      </Submit>
      <button type="button" className="act" style={{ marginTop: "24px" }} onClick={p.onClose}>
        close
      </button>
      {add.error && !(add.error instanceof Problem && add.error.fields.length > 0) && (
        <p className="alarm">{add.error.message}</p>
      )}
    </form>
  );
}
