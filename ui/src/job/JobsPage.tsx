import { useQuery } from "@tanstack/react-query";
import { format } from "date-fns";
import { type SyntheticEvent, useState } from "react";
import { Link as RouterLink, useNavigate } from "react-router";
import { type Schemas, api } from "../api/client";
import { Frame } from "../frame/Frame";
import { Failed, Waiting } from "../frame/State";
import { usePerson } from "../people/session";
import { workNames } from "../words/names";
import { addDays, mondayOf } from "../plan/carry";
import { Remaining } from "./Remaining";

type Row = Schemas["JobRow"];

/** The phases in the order of the work, each with its heading. */
const sections: readonly { readonly title: string; readonly phases: readonly Row["phase"][]; readonly none: string }[] =
  [
    { title: "Cooling and preparing", phases: ["prepare", "cooling"], none: "" },
    { title: "Running with cleaner", phases: ["cleaner"], none: "" },
    { title: "Draining", phases: ["draining"], none: "" },
    { title: "Flushing", phases: ["flushing"], none: "" },
    { title: "Filling", phases: ["filling"], none: "" },
    { title: "Bleeding", phases: ["bleeding"], none: "" },
    { title: "Checks", phases: ["checking"], none: "" },
    { title: "Retest", phases: ["retest"], none: "" },
    { title: "Awaits release", phases: ["release"], none: "" },
  ];

/** Jobs under way, in the order of the work, and what is still owed after them. */
export function JobsPage() {
  const person = usePerson();
  const jobs = useQuery({ queryKey: ["jobs"], queryFn: ({ signal }) => api.jobs(signal), refetchInterval: 5_000 });
  const all = jobs.data ?? [];
  const open = all.filter((j) => !j.ended && !j.exercise);
  const follow = all.filter((j) => j.phase === "done" && j.owed.length > 0);
  const done = all.filter((j) => j.ended && !j.exercise && j.owed.length === 0);
  const exercises = all.filter((j) => j.exercise);
  const sheets = open.map((j) => `job=${j.id}`).join("&");
  return (
    <Frame title="Job" head="what is in work, in the order of the work" here="job">
      <div className="page-pad jobs">
        {person.role !== "reader" && <Begin />}
        <PlannedToday open={open.map((j) => j.unit)} />
        {jobs.isPending && <Waiting what="the jobs" />}
        {jobs.isError && <Failed error={jobs.error} again={() => void jobs.refetch()} />}
        {jobs.data && open.length === 0 && (
          <p className="faint">No job is under way. Enter a unit above to see its sheet and begin.</p>
        )}
        {sections.map((s) => {
          const rows = open.filter((j) => s.phases.includes(j.phase));
          return rows.length > 0 && <Section key={s.title} title={s.title} rows={rows} />;
        })}
        {open.length > 0 && (
          <p className="buttons-row no-print">
            <a className="act framed" href={`/api/v1/jobs/sheets.pdf?${sheets}`} target="_blank" rel="noreferrer">
              print {open.length === 1 ? "the sheet" : `${open.length} sheets`}
            </a>
          </p>
        )}
        {follow.length > 0 && <Section title="Follow-up owed" rows={follow} />}
        {exercises.length > 0 && <Section title="Exercises on a simulated unit" rows={exercises} />}
        {done.length > 0 && <Section title="Ended in the last three weeks" rows={done} />}
      </div>
    </Frame>
  );
}

/** Jobs of the agreed plan for today that are not begun yet. */
function PlannedToday({ open }: { open: readonly string[] }) {
  // The day of the fleet may be another one than the browser's by a day: two weeks from yesterday's hold it.
  const [from] = useState(() => mondayOf(addDays(format(new Date(), "yyyy-MM-dd"), -1)));
  const plan = useQuery({
    queryKey: ["plan", from, 2],
    queryFn: ({ signal }) => api.plan(from, 2, signal),
    refetchInterval: 30_000,
  });
  const board = plan.data;
  if (plan.error) return <Failed error={plan.error} again={() => void plan.refetch()} />;
  const jobs = (board?.jobs ?? []).filter(
    (j) => j.agreed && j.state === "placed" && j.place?.day === board?.today && !open.includes(j.unit),
  );
  if (jobs.length === 0) return null;
  return (
    <section className="section" aria-label="Planned for today">
      <h2 className="heading">
        Planned for today <span className="faint figures">{jobs.length}</span>
      </h2>
      <ul className="planned-today">
        {jobs.map((j) => (
          <li key={j.id} data-planned-today={j.unit}>
            <RouterLink to={`/job/new?unit=${encodeURIComponent(j.unit)}`} data-line className="link figures">
              {j.unit}
            </RouterLink>
            <b>{workNames[j.work]}</b>
            <span className="faint">
              {j.name}, {board?.bays.find((b) => j.place && sameBay(b.bay, j.place.bay))?.name}, {j.site},{" "}
              {j.technician}
            </span>
          </li>
        ))}
      </ul>
    </section>
  );
}

const sameBay = (a: Schemas["PlanBayName"], b: Schemas["PlanBayName"]) =>
  a.site === b.site && a.kind === b.kind && a.number === b.number;

/** Which unit a job is to be begun on. */
function Begin() {
  const navigate = useNavigate();
  const [unit, setUnit] = useState("");
  const found = useQuery({
    queryKey: ["units", unit],
    queryFn: ({ signal }) => api.units(unit, signal),
    enabled: unit.trim().length > 1,
  });
  const submit = (e: SyntheticEvent) => {
    e.preventDefault();
    if (unit.trim() !== "") void navigate(`/job/new?unit=${encodeURIComponent(unit.trim())}`);
  };
  return (
    <form className="typed-fields no-print" onSubmit={submit}>
      <label>
        unit or circuit
        <input list="job-units" value={unit} maxLength={60} onChange={(e) => setUnit(e.target.value)} />
        <datalist id="job-units">
          {(found.data ?? []).map((u) => (
            <option key={u.code} value={u.code}>
              {u.name}
            </option>
          ))}
        </datalist>
      </label>
      <button type="submit" className="choice">
        choose a job
      </button>
    </form>
  );
}

function Section({ title, rows }: { title: string; rows: readonly Row[] }) {
  return (
    <section className="section">
      <h2 className="heading">
        {title} <span className="faint figures">{rows.length}</span>
      </h2>
      <ul className="job-lines">
        {rows.map((j) => (
          <li key={j.id}>
            <RouterLink to={`/job/${j.id}`} data-line className="job-line">
              <span className="figures code">{j.unit}</span>
              <span className="what">
                <b>{j.title}</b>
                {j.exercise && " (exercise)"} <span className="faint">{j.name}</span>
              </span>
              <span className={j.paused ? "wait-for alarm" : "wait-for"}>
                {j.paused ? `Paused: ${j.paused}` : j.text}
                {j.timer && <Remaining ends={j.timer} />}
              </span>
              <span className="faint who">
                {j.who}
                {j.site && `, ${j.site}`}
                {j.used && `, ${j.used} to waste`}
              </span>
            </RouterLink>
          </li>
        ))}
      </ul>
    </section>
  );
}
