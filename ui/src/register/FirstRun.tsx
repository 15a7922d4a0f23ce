import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { type ReactNode, type SyntheticEvent, useState } from "react";
import { Link as RouterLink } from "react-router";
import { Problem, type Schemas, api } from "../api/client";
import { SelectField, TextField } from "../account/fields";
import { Failed, Waiting } from "../frame/State";
import { Submit } from "../frame/Submit";
import { usePerson } from "../people/session";
import { figure } from "../words/figures";
import { Adding } from "./RecordPage";
import { Starting } from "./StartingTypes";

type Reading = Schemas["ReadingSettings"];

const readings: readonly (readonly [keyof Reading, string, readonly (readonly [string, string])[]])[] = [
  [
    "temperature",
    "temperature",
    [
      ["degC", "°C"],
      ["degF", "°F"],
    ],
  ],
  [
    "volume",
    "volume",
    [
      ["L", "L"],
      ["qt_us", "US qt"],
      ["qt_imp", "imp qt"],
    ],
  ],
  [
    "pressure",
    "pressure",
    [
      ["kPa", "kPa"],
      ["psi", "psi"],
      ["bar", "bar"],
    ],
  ],
  [
    "distance",
    "distance",
    [
      ["km", "km"],
      ["mi", "mi"],
    ],
  ],
  [
    "dates",
    "dates",
    [
      ["dmy", "26 Nov 2026"],
      ["ymd", "2026-11-26"],
      ["mdy", "11/26/2026"],
    ],
  ],
  [
    "numbers",
    "numbers typed",
    [
      ["either", "ask if unclear"],
      ["point", "12,500.5"],
      ["comma", "12.500,5"],
    ],
  ],
];

/** The way from empty books to the first unit, in place of the Morning until there is one. */
export function FirstRun() {
  const person = usePerson();
  const [left, setLeft] = useState(false);
  const settings = useQuery({ queryKey: ["settings"], queryFn: ({ signal }) => api.settings(signal) });
  if (person.role !== "coordinator") {
    return <p className="wait">No unit is in the register yet. The coordinator adds the first one.</p>;
  }
  if (left) {
    return (
      <p className="wait">
        No unit is in the register yet.{" "}
        <button type="button" className="act line" onClick={() => setLeft(false)}>
          open the guide
        </button>
      </p>
    );
  }
  const data = settings.data;
  return (
    <div className="first-run">
      <p className="between">
        <span>These books are empty. Four steps to the first unit; each can be changed later in the Register.</span>
        <button type="button" className="act" onClick={() => setLeft(true)}>
          leave the guide
        </button>
      </p>
      {settings.isPending && <Waiting what="the settings" />}
      {settings.error && <Failed error={settings.error} again={() => void settings.refetch()} />}
      {data && (
        <ol>
          <Step n={1} title="The fleet" done={data.name !== ""} said={`${data.name}, ${data.zone}`}>
            <FleetForm settings={data} />
          </Step>
          <Step
            n={2}
            title="Service plans and types to start from"
            done={data.plans > 0}
            said={`${figure(data.plans)} service ${data.plans === 1 ? "plan" : "plans"}`}
          >
            <StartingStep />
          </Step>
          <Step
            n={3}
            title="The first site"
            done={data.sites > 0}
            said={`${figure(data.sites)} ${data.sites === 1 ? "site" : "sites"}`}
          >
            <SiteStep />
          </Step>
          <li aria-label="The first unit">
            <h2>
              <span className="figures">4</span> The first unit
            </h2>
            {data.sites > 0 && data.plans > 0 ? (
              <p className="buttons-row">
                <RouterLink className="solid link-button" to="/register/unit/new">
                  add a unit
                </RouterLink>
                <RouterLink className="act framed" to="/import">
                  bring your spreadsheet
                </RouterLink>
                <RouterLink className="act framed" to="/register/product/new">
                  add a product
                </RouterLink>
                <span className="faint">Renewals and top-ups name the product that was poured in.</span>
              </p>
            ) : (
              <p className="faint">A unit needs a site and a service plan.</p>
            )}
          </li>
        </ol>
      )}
    </div>
  );
}

/** A step of the guide; one that is done is folded away and can be opened again. */
function Step(p: { n: number; title: string; done: boolean; said: string; children: ReactNode }) {
  const [open, setOpen] = useState(false);
  return (
    <li aria-label={p.title} data-done={p.done || undefined}>
      <h2>
        <span className="figures">{p.n}</span> {p.title}
        {p.done && (
          <span className="faint">
            {" "}
            · done: {p.said}{" "}
            <button type="button" className="act" aria-expanded={open} onClick={() => setOpen(!open)}>
              {open ? "close" : "change"}
            </button>
          </span>
        )}
      </h2>
      {(!p.done || open) && p.children}
    </li>
  );
}

function FleetForm({ settings }: { settings: Schemas["Settings"] }) {
  const queries = useQueryClient();
  const [name, setName] = useState(settings.name);
  const [zone, setZone] = useState(() => (settings.name || settings.zone !== "UTC" ? settings.zone : ownZone()));
  const [reading, setReading] = useState<Reading | undefined>(settings.reading);
  const save = useMutation({
    mutationFn: async () => {
      await api.changeSettings({ name, zone: zone.trim(), ...(reading && { reading }) });
      if (reading) await api.changeReading(reading);
    },
    onSuccess: () => queries.invalidateQueries(),
  });
  const refusalOf = (pointer: string) => (save.error instanceof Problem ? save.error.refusalOf(pointer) : undefined);
  function submit(event: SyntheticEvent) {
    event.preventDefault();
    if (!save.isPending) save.mutate();
  }
  return (
    <form onSubmit={submit} aria-label="The fleet" noValidate>
      <div className="since">
        <TextField label="name of the fleet" width="260px" value={name} onChange={setName} error={refusalOf("/name")} />
        <TextField
          label="time zone"
          width="220px"
          value={zone}
          onChange={setZone}
          hint="such as Europe/Oslo"
          error={refusalOf("/zone")}
        />
      </div>
      {reading && (
        <div className="since" role="group" aria-label="Units of measure of the fleet; each person may choose others">
          {readings.map(([key, label, options]) => (
            <SelectField
              key={key}
              label={label}
              width="130px"
              value={reading[key] ?? "either"}
              options={options}
              onChange={(value) => setReading({ ...reading, [key]: value })}
            />
          ))}
        </div>
      )}
      {save.error && refusalOf("/name") === undefined && refusalOf("/zone") === undefined && (
        <p className="alarm">{save.error.message}</p>
      )}
      <p className="buttons-row">
        <Submit disabled={save.isPending}>save</Submit>
      </p>
    </form>
  );
}

/** The time zone of this device. */
function ownZone(): string {
  return new Intl.DateTimeFormat().resolvedOptions().timeZone;
}

function StartingStep() {
  const queries = useQueryClient();
  return <Starting what={["plans", "types"]} onAdded={() => void queries.invalidateQueries()} />;
}

function SiteStep() {
  const queries = useQueryClient();
  const form = useQuery({
    queryKey: ["record form", "site", "", ""],
    queryFn: ({ signal }) => api.recordForm("site", {}, signal),
  });
  return (
    <>
      {form.isPending && <Waiting what="the form" />}
      {form.error && <Failed error={form.error} again={() => void form.refetch()} />}
      {form.data && <Adding of="site" record={form.data} onAdded={() => void queries.invalidateQueries()} />}
    </>
  );
}
