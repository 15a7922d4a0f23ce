import { useQuery } from "@tanstack/react-query";
import { Link as RouterLink, useParams } from "react-router";
import { api } from "../api/client";
import { Frame } from "../frame/Frame";
import { Failed, Waiting } from "../frame/State";
import { Vial } from "../marks/Vial";
import { dayTime } from "../words/figures";
import { verdictWords } from "../words/names";

const states = { done: "", skipped: "skipped", waiting: "not visited yet" } as const;

/** A round as the books have it: what was found at each unit. */
export function ReportPage() {
  const { id = "" } = useParams();
  const report = useQuery({
    queryKey: ["round", id],
    queryFn: ({ signal }) => api.round(id, signal),
    refetchInterval: (q) => (q.state.data?.round.closedAt ? false : 5_000),
  });
  if (report.isPending) return <Waiting what="the round" />;
  if (!report.data)
    return (
      <Frame title="Round" head="" here="round">
        <Failed error={report.error} again={() => void report.refetch()} />
      </Frame>
    );
  const { round, stops } = report.data;
  return (
    <Frame title="Round" head={round.title} here="round">
      <p>
        {round.title}: {round.who},{" "}
        {round.closedAt ? `closed ${dayTime(round.closedAt)}` : `under way since ${dayTime(round.startedAt)}`};{" "}
        {round.text}. Last report {dayTime(round.updatedAt)}.
      </p>
      <ul className="close-lines">
        {stops.map((s) => (
          <li key={s.unit}>
            <Vial verdict={s.verdict ?? "unknown"} left={s.left} />
            <RouterLink className="link figures" to={`/units/${encodeURIComponent(s.unit)}`} data-line>
              {s.unit}
            </RouterLink>
            <span>
              {states[s.state] && (
                <b>
                  {states[s.state]}
                  {s.why ? `: ${s.why}` : ""}.{" "}
                </b>
              )}
              {s.verdict && <b>{verdictWords[s.verdict]}: </b>}
              {s.reason}
              {s.recorded.length > 0 && <small>{s.recorded.join(" · ")}</small>}
            </span>
          </li>
        ))}
      </ul>
      {stops.length === 0 && <p className="faint">Nothing has arrived yet.</p>}
    </Frame>
  );
}
