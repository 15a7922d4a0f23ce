import { useQuery } from "@tanstack/react-query";
import { Link as RouterLink, useSearchParams } from "react-router";
import { api } from "../api/client";
import { Frame } from "../frame/Frame";
import { Failed, Waiting } from "../frame/State";
import { UnitCode } from "../marks/UnitCode";
import { longDay } from "../words/figures";
import { workNames } from "../words/names";
import { addDays } from "./carry";
import { useRevision } from "./useRevision";

/** What a technician does on a day: one's own, or anybody's. */
export function DayPage() {
  const [params, setParams] = useSearchParams();
  const day = params.get("day") ?? undefined;
  const who = params.get("technician");
  const list = useQuery({
    queryKey: ["plan day", day, who],
    queryFn: ({ signal }) => api.planDay(day, who ? Number(who) : undefined, signal),
  });
  useRevision(() => void list.refetch());
  const data = list.data;
  const set = (name: string, value: string) => {
    const next = new URLSearchParams(params);
    next.set(name, value);
    setParams(next, { replace: true });
  };
  return (
    <Frame title={data && data.day !== data.today ? "Day" : "My day"} head={data && longDay(data.day)} here="plan">
      <div className="page-pad plan-day">
        {list.isPending && <Waiting what="the day" />}
        {list.error && <Failed error={list.error} again={() => void list.refetch()} />}
        {data && (
          <>
            <div className="day-tools no-print">
              <button type="button" className="act framed" onClick={() => set("day", addDays(data.day, -1))}>
                day before
              </button>
              <button type="button" className="act framed" onClick={() => set("day", addDays(data.day, 1))}>
                day after
              </button>
              <label>
                <span className="hidden-label">whose day</span>
                <select value={data.technician ?? ""} onChange={(e) => set("technician", e.target.value)}>
                  {data.technician === undefined && <option value="">whose day?</option>}
                  {data.technicians.map((t) => (
                    <option key={t.id} value={t.id}>
                      {t.name}
                    </option>
                  ))}
                </select>
              </label>
              <RouterLink className="act" to="/plan?whole=yes">
                whole plan
              </RouterLink>
            </div>
            <h2 className="day-title">
              {longDay(data.day)}
              {data.name && <span>, {data.name}</span>}
            </h2>
            <p>
              {data.hours && <span className="figures">{data.hours}</span>}{" "}
              <span className="faint">
                {data.agreed ? "the week is agreed" : "the week is not agreed: it may change"}
              </span>
            </p>
            {data.absent && <p className="alarm">{data.absent}</p>}
            {data.technician === undefined && (
              <p>
                {data.technicians.length === 0
                  ? "The register has no technician yet."
                  : "No technician of the register has the e-mail of this account: choose whose day it is."}
              </p>
            )}
            {data.technician !== undefined && data.jobs.length === 0 && <p>Nothing is planned on this day.</p>}
            <ol className="day-jobs">
              {data.jobs.map((j) => (
                <li key={j.id} data-unit={j.unit} className={j.state}>
                  <p className="day-unit">
                    <RouterLink className="link figures" to={`/units/${encodeURIComponent(j.unit)}`}>
                      <UnitCode code={j.unit} />
                    </RouterLink>{" "}
                    <b>{workNames[j.work]}</b>
                  </p>
                  <p>
                    {j.name} <span className="faint">· {j.place}</span>
                  </p>
                  <p className="faint">{j.times}</p>
                  {j.warnings.map((w) => (
                    <p key={w} className="alarm">
                      {w}
                    </p>
                  ))}
                  {j.state === "done" ? (
                    <p>done by the books</p>
                  ) : (
                    <RouterLink
                      className="choice"
                      to={
                        j.job
                          ? `/job/${j.job}`
                          : j.sheet
                            ? `/job/new?unit=${encodeURIComponent(j.unit)}`
                            : `/units/${encodeURIComponent(j.unit)}`
                      }
                    >
                      {j.job ? "go on with its job" : j.sheet ? "begin its job" : "record it in its account"}
                    </RouterLink>
                  )}
                </li>
              ))}
            </ol>
            {(data.mixing ?? []).length > 0 && (
              <section>
                <h2 className="heading">Mixed in the morning</h2>
                <ul>
                  {(data.mixing ?? []).map((m) => (
                    <li key={m.site + m.text}>
                      {m.site}: {m.text} <span className="faint figures">{m.units.join(", ")}</span>
                    </li>
                  ))}
                </ul>
              </section>
            )}
          </>
        )}
      </div>
    </Frame>
  );
}
