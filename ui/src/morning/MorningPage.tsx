import { RoundLines } from "../round/RoundLines";
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { Suspense, lazy, memo, useState } from "react";
import { flushSync } from "react-dom";
import { Link as RouterLink } from "react-router";
import { type Schemas, type Verdict, api } from "../api/client";
import { Frame } from "../frame/Frame";
import { Failed, Waiting } from "../frame/State";
import { TakeAlong } from "../frame/TakeAlong";
import { UnitCode } from "../marks/UnitCode";
import { Vial } from "../marks/Vial";
import { morningRows } from "./rows";
import { type FileFormat, download } from "../words/csv";
import { celsius, dayMinute, daysAway, dueText, figure, longDay, weekDay } from "../words/figures";
import { clockNames, verdictWords } from "../words/names";

type Row = Schemas["MorningRow"];

const FirstRun = lazy(() => import("../register/FirstRun").then((m) => ({ default: m.FirstRun })));

interface Section {
  readonly title: string;
  readonly verdicts: readonly Verdict[];
  readonly empty: string;
}

const sections: readonly Section[] = [
  { title: "Must not move", verdicts: ["hold"], empty: "Nothing is on hold." },
  { title: "Due, soonest first", verdicts: ["overdue", "due"], empty: "Nothing is due within a month." },
  { title: "Not measured", verdicts: ["unknown"], empty: "" },
  { title: "Coming up", verdicts: ["watch"], empty: "" },
  { title: "Sound", verdicts: ["sound"], empty: "" },
];

/** Sections before the lists of checks, nights and discrepancies: what must not move, is due, or is not known. */
const beforeLists = 3;

const checksDue: Section = { title: "Checks due today", verdicts: [], empty: "" };

/** The rows of a section and how many there are; a check that is due or a discrepancy has a section of its own. */
function own(data: Schemas["Morning"], s: Section): { rows: Row[]; count: number } {
  const elsewhere = (r: Row) =>
    (r.clock.kind === "follow_up" && data.pendingChecks.some((o) => o.unit.code === r.unit.code)) ||
    (r.clock.reason.code === "discrepancy" && data.discrepancies.some((o) => o.unit.code === r.unit.code));
  const all = data.rows.filter((r) => s.verdicts.includes(r.verdict));
  const rows = all.filter((r) => !elsewhere(r));
  const count = s.verdicts.reduce((sum, v) => sum + (data.counts[v] ?? 0), 0);
  return { rows, count: count - (all.length - rows.length) };
}

/** Rows of each verdict that the server gives at most. */
const mostRows = 10_000;

/** Hands the rows over as a file, by urgency, with the days as ISO dates. */
function downloadMorning(as: FileFormat, data: Schemas["Morning"]) {
  return download(
    as,
    `morning-${data.today}`,
    ["unit", "name", "kind", "site", "verdict", "governs", "most likely", "from", "to", "why", "next"],
    data.rows.map(({ unit, verdict, clock, next }) => [
      unit.code,
      unit.name,
      unit.kind,
      unit.site,
      verdictWords[verdict],
      clockNames[clock.kind].toLowerCase(),
      clock.due,
      clock.window?.p10,
      clock.window?.p90,
      clock.reason.text,
      next,
    ]),
  );
}

/** What must not move, what is due and why, one line each. */
export function MorningPage() {
  const queries = useQueryClient();
  const [limit, setLimit] = useState(morningRows);
  const more = () => setLimit(limit + 10 * morningRows);
  const morning = useQuery({
    queryKey: ["morning", limit],
    queryFn: ({ signal }) => api.morning(Math.min(limit, mostRows), signal),
    placeholderData: (before) => before,
    // While a round is under way what it finds appears as it arrives.
    refetchInterval: (q) => (q.state.data?.rounds.some((r) => r.closedAt === undefined) ? 10_000 : false),
  });
  const data = morning.data;
  const file = async (as: FileFormat) => downloadMorning(as, await api.morning(mostRows));
  const print = async () => {
    const whole = await api.morning(mostRows);
    flushSync(() => {
      queries.setQueryData(["morning", mostRows], whole);
      setLimit(mostRows);
    });
    window.print();
  };
  const head = data && (
    <>
      {longDay(data.today)}
      {data.tonight && ` · tonight planned for ${celsius(data.tonight.celsius)} at ${data.tonight.site}`}
    </>
  );
  return (
    <Frame title="Morning" head={head}>
      {morning.isPending && <Waiting what="the morning’s list" />}
      {morning.error && <Failed error={morning.error} again={() => void morning.refetch()} />}
      {data?.rows.length === 0 && (
        <Suspense fallback={<Waiting what="the guide" />}>
          <FirstRun />
        </Suspense>
      )}
      {data && data.rows.length > 0 && (
        <div className="morning" style={{ maxWidth: "1180px" }}>
          <TakeAlong what="the morning’s list" file={file} print={print} />
          {sections.slice(0, beforeLists).map((s) => (
            <Lines key={s.title} section={s} {...own(data, s)} today={data.today} onMore={more} />
          ))}
          <Lines
            section={checksDue}
            rows={data.pendingChecks}
            count={data.pendingCount}
            today={data.today}
            onMore={more}
          />
          {data.rounds.length > 0 && <RoundLines rounds={data.rounds} />}
          {data.photosMissing.length > 0 && <PhotosMissing photos={data.photosMissing} />}
          <Nights data={data} onMore={more} />
          <Discrepancies rows={data.discrepancies} count={data.discrepancyCount} onMore={more} />

          {sections.slice(beforeLists).map((s) => (
            <Lines key={s.title} section={s} {...own(data, s)} today={data.today} onMore={more} />
          ))}
        </div>
      )}
    </Frame>
  );
}

const photosShown = 5;

/** Entries that name a photo which was not received. */
function PhotosMissing({ photos }: { photos: readonly Schemas["PhotoMissing"][] }) {
  return (
    <section className="section" aria-label="Photos not received">
      <Heading title="Photos not received" count={photos.length} />
      <ul className="round-lines">
        {photos.slice(0, photosShown).map((p) => (
          <li key={p.unit + p.at}>
            <RouterLink className="link" to={`/units/${encodeURIComponent(p.unit)}`} data-line>
              {p.unit}
            </RouterLink>{" "}
            <span>
              {dayMinute(p.at)}: {p.text}
            </span>
          </li>
        ))}
        {photos.length > photosShown && <li>and {photos.length - photosShown} more</li>}
      </ul>
    </section>
  );
}

function Lines(p: { section: Section; rows: readonly Row[]; count: number; today: string; onMore: () => void }) {
  const { section, rows, count, today } = p;
  if (rows.length === 0 && !section.empty) return null;
  return (
    <section className="section" aria-label={section.title}>
      <Heading title={section.title} count={count} />
      {rows.length === 0 && (
        <p className="faint" style={{ padding: "8px 0" }}>
          {section.empty}
        </p>
      )}
      <ul>
        {rows.map((r) => (
          <MorningLine key={r.unit.code} row={r} today={today} />
        ))}
      </ul>
      <More left={count - rows.length} onMore={p.onMore} />
    </section>
  );
}

/** The units that the next ten nights would catch, by site, each with its coldest night. */
function Nights({ data, onMore }: { data: Schemas["Morning"]; onMore: () => void }) {
  if (data.nights.length === 0) return null;
  return (
    <section className="section" aria-label="Caught by the next ten nights">
      <Heading title="Caught by the next ten nights" count={data.nightCount} />
      {data.ahead.map((night) => {
        const rows = data.nights.filter((r) => r.unit.site === night.site);
        return (
          rows.length > 0 && (
            <div key={night.site} role="group" aria-label={night.site}>
              <p className="faint" style={{ paddingTop: "8px" }}>
                <b style={{ color: "var(--chakra-colors-ink)" }}>{night.site}</b>:{" "}
                {night.forecast ? "forecast" : "by the cold curve"} down to {celsius(night.celsius)} in the night of{" "}
                {weekDay(night.day)}
              </p>
              <ul>
                {rows.map((r) => (
                  <MorningLine key={r.unit.code} row={r} today={data.today} />
                ))}
              </ul>
            </div>
          )
        );
      })}
      <More left={data.nightCount - data.nights.length} onMore={onMore} />
    </section>
  );
}

function Heading({ title, count }: { title: string; count: number }) {
  return (
    <div className="heading">
      <h2>{title}</h2>
      <span className="figures">{figure(count)}</span>
    </div>
  );
}

/** Books that do not balance: what was measured, what the book says, and the likeliest cause. */
function Discrepancies(p: { rows: readonly Schemas["DiscrepancyRow"][]; count: number; onMore: () => void }) {
  const { rows, count } = p;
  if (rows.length === 0) return null;
  return (
    <section className="section" aria-label="Books that do not balance">
      <Heading title="Books that do not balance" count={count} />
      <ul>
        {rows.map((r) => (
          <li className="discrepancy-line" key={r.unit.code}>
            <RouterLink className="code figures" to={`/units/${encodeURIComponent(r.unit.code)}`} data-line="">
              <UnitCode code={r.unit.code} />
            </RouterLink>
            <span className="name cut" title={r.unit.name}>
              {r.unit.name}
            </span>
            <span className="reason">
              Measured {celsius(r.measured)}, the book said {celsius(r.book)}.{" "}
              {r.likeliest && <>Likeliest: {r.likeliest.text}</>}
            </span>
            <span className="figures faint">{weekDay(r.at)}</span>
            <span className="next">
              <Action to={`/units/${encodeURIComponent(r.unit.code)}`} label={`reconcile ${r.unit.code}`}>
                reconcile
              </Action>
            </span>
          </li>
        ))}
      </ul>
      <More left={count - rows.length} onMore={p.onMore} />
    </section>
  );
}

function More({ left, onMore }: { left: number; onMore: () => void }) {
  if (left <= 0) return null;
  return (
    <button type="button" className="act" onClick={onMore}>
      show more of the {figure(left)} left
    </button>
  );
}

/** What a line asks for; on a phone large enough for a gloved thumb. */
function Action(p: { to: string; label: string; children: string }) {
  return (
    <RouterLink className="action" to={p.to} aria-label={p.label}>
      {p.children}
    </RouterLink>
  );
}

const MorningLine = memo(function MorningLine({ row, today }: { row: Row; today: string }) {
  const { unit, clock, verdict } = row;
  const to = `/units/${encodeURIComponent(unit.code)}`;
  return (
    <li className="morning-line">
      <span className="verdict">
        <Vial verdict={verdict} left={clock.remaining} />
        <span className={verdict === "hold" || verdict === "overdue" ? "alarm" : undefined}>
          {verdictWords[verdict]}
        </span>
      </span>
      <span className="named">
        <RouterLink className="code figures" to={to} data-line="">
          <UnitCode code={unit.code} />
        </RouterLink>
        <span className="cut faint" title={unit.name}>
          {unit.name}
        </span>
      </span>
      <span className="name cut" title={unit.name}>
        {unit.name}
      </span>
      <span className="reason">
        <b>{clockNames[clock.kind]}</b> {clock.reason.text}
      </span>
      <span className="due figures">
        {clock.due ? (
          <>
            <div>{dueText(clock, today)}</div>
            {clock.days !== undefined && clock.days !== 0 && <div className="faint">{daysAway(clock.days)}</div>}
          </>
        ) : (
          <div className="faint">{verdict === "sound" ? "no day" : "now"}</div>
        )}
      </span>
      <span className="next">
        <Action to={row.records ? `${to}?write=${row.records}` : to} label={`${row.next}: ${unit.code}`}>
          {row.next}
        </Action>
      </span>
    </li>
  );
});
