import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { type SyntheticEvent, useState } from "react";
import { Problem, type Schemas, api } from "../api/client";
import { DateField, unread } from "../account/DateField";
import { SelectField, TextField } from "../account/fields";
import { Failed, Waiting } from "../frame/State";
import { Submit } from "../frame/Submit";
import { dayTime, longDay } from "../words/figures";
import { SectionHeading } from "./SectionHeading";

type Role = Schemas["TokenRole"];
type Scope = Schemas["TokenScope"];

const roles: readonly (readonly [Role, string])[] = [
  ["gateway", "gateway, meter readings only"],
  ["reader", "reader"],
  ["technician", "technician"],
  ["coordinator", "coordinator"],
];

const read = ["read", "read"] as const;
const record = ["record", "record entries"] as const;

/** What a token of a role can be made to do; the first is the least. */
const scopesOf: Readonly<Record<Role, readonly (readonly [Scope, string])[]>> = {
  gateway: [record],
  reader: [read],
  technician: [read, record],
  coordinator: [read, record, ["change", "change register, plan"]],
};

/** Tokens by which scripts and telematics gateways use the API. */
export function Tokens() {
  const queries = useQueryClient();
  const tokens = useQuery({ queryKey: ["tokens"], queryFn: ({ signal }) => api.tokens(signal) });
  const refresh = () => queries.invalidateQueries({ queryKey: ["tokens"] });
  const revoke = useMutation({ mutationFn: api.revokeToken, onSuccess: refresh });
  return (
    <section aria-label="Tokens" style={{ marginBottom: "30px" }}>
      <SectionHeading>Tokens for scripts and gateways</SectionHeading>
      {tokens.isPending && <Waiting what="the tokens" />}
      {tokens.error && <Failed error={tokens.error} again={() => void tokens.refetch()} />}
      {tokens.data?.length === 0 && (
        <p className="faint" style={{ padding: "8px 0" }}>
          No token was made yet. A telematics gateway sends meter readings with one.
        </p>
      )}
      <ul>
        {tokens.data?.map((t) => (
          <li key={t.id} className={t.revoked ? "history-line faint" : "history-line"} data-token={t.name}>
            <span className="strong">{t.name}</span>
            <span>
              {t.role}, {t.scope}
            </span>
            <span className="what">
              {t.revoked ? "revoked" : `to ${longDay(t.endsOn)}`} · made by {t.who} ·{" "}
              {t.lastUsedAt ? `used ${dayTime(t.lastUsedAt)}` : "not used yet"}
              {t.lastResult && <span className="fact-change faint">{t.lastResult}</span>}
            </span>
            {!t.revoked && (
              <button
                type="button"
                className="act"
                aria-label={`revoke ${t.name}`}
                disabled={revoke.isPending}
                onClick={() => revoke.mutate(t.id)}
              >
                revoke
              </button>
            )}
          </li>
        ))}
      </ul>
      {revoke.error && <p className="alarm">{revoke.error.message}</p>}
      <NewToken onMade={refresh} />
    </section>
  );
}

function NewToken({ onMade }: { onMade: () => Promise<void> }) {
  const [name, setName] = useState("");
  const [role, setRole] = useState<Role>("gateway");
  const [chosen, setScope] = useState<Scope>("read");
  const scopes = scopesOf[role];
  const scope = scopes.find(([s]) => s === chosen)?.[0] ?? scopes[0]?.[0] ?? "read";
  const [endsOn, setEndsOn] = useState("");
  const make = useMutation({
    mutationFn: () => api.addToken({ name, role, scope, endsOn }),
    onSuccess: async () => {
      setName("");
      await onMade();
    },
  });
  const refusalOf = (pointer: string) => (make.error instanceof Problem ? make.error.refusalOf(pointer) : undefined);
  function submit(event: SyntheticEvent) {
    event.preventDefault();
    if (!make.isPending) make.mutate();
  }
  return (
    <form onSubmit={submit} aria-label="New token" noValidate>
      <div className="since">
        <TextField label="name of the token" width="220px" value={name} onChange={setName} error={refusalOf("/name")} />
        <SelectField label="with the rights of" width="260px" value={role} options={roles} onChange={setRole} />
        {scopes.length > 1 && (
          <SelectField label="it may" width="220px" value={scope} options={scopes} onChange={setScope} />
        )}
        <DateField
          label="good until"
          value={endsOn}
          onChange={setEndsOn}
          placeholder="in 12 months"
          error={refusalOf("/endsOn")}
        />
        <Submit beside disabled={name.trim() === "" || endsOn === "" || endsOn === unread || make.isPending}>
          make a token
        </Submit>
      </div>
      <div aria-live="polite" style={{ minHeight: "26px", paddingTop: "6px" }}>
        {make.data && (
          <p>
            Shown once, copy it now: <code className="figures">{make.data.secret}</code>
          </p>
        )}
        {make.error && refusalOf("/name") === undefined && refusalOf("/endsOn") === undefined && (
          <p className="alarm">{make.error.message}</p>
        )}
      </div>
    </form>
  );
}
