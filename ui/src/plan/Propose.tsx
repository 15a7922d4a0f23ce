import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Problem, type Schemas, api } from "../api/client";
import { DateField, unread } from "../account/DateField";
import { workNames } from "../words/names";
import { type Board, addDays } from "./carry";

/** A proposal for a span of days: which jobs, and whether what is placed is placed anew. */
export function Propose(p: {
  board: Board;
  items: readonly number[];
  onDone: (made: Schemas["PlanProposal"]) => void;
  onClose: () => void;
}) {
  const { board } = p;
  const queries = useQueryClient();
  const first = board.from > board.today ? board.from : addDays(board.today, 1);
  const [from, setFrom] = useState(first);
  const [to, setTo] = useState(board.days.at(-1)?.day ?? first);
  const [which, setWhich] = useState<"picked" | "all" | "due">(p.items.length > 0 ? "picked" : "all");
  const [again, setAgain] = useState(false);
  const propose = useMutation({
    mutationFn: () =>
      api.proposePlan({
        from,
        to,
        again,
        allDue: which === "due",
        ...(which === "picked" ? { items: [...p.items] } : {}),
      }),
    onSuccess: async (made) => {
      p.onDone(made);
      await queries.invalidateQueries();
    },
  });
  const refusal = (field: string) => (propose.error instanceof Problem ? propose.error.refusalOf(field) : undefined);
  return (
    <form
      className="plan-form"
      aria-label="Propose places"
      onSubmit={(e) => {
        e.preventDefault();
        if (!propose.isPending) propose.mutate();
      }}
    >
      <DateField label="from" width="150px" value={from} onChange={setFrom} />
      <DateField label="to" width="150px" value={to} onChange={setTo} error={refusal("/to")} />
      <label>
        which jobs
        <select value={which} onChange={(e) => setWhich(e.target.value as typeof which)}>
          {p.items.length > 0 && <option value="picked">the {p.items.length} picked on the Horizon</option>}
          <option value="all">all that have no place</option>
          <option value="due">these, and all that runs out by then</option>
        </select>
      </label>
      <label className="tick">
        <input type="checkbox" checked={again} onChange={(e) => setAgain(e.target.checked)} />
        place again what is placed and not pinned
      </label>
      <button
        type="submit"
        className="solid"
        disabled={propose.isPending || from === "" || to === "" || from === unread || to === unread}
      >
        {propose.isPending ? "searching …" : "propose"}
      </button>
      <button type="button" className="act" onClick={p.onClose}>
        close
      </button>
      {propose.error && (
        <p className="alarm" role="alert">
          {propose.error.message}
        </p>
      )}
    </form>
  );
}

/** What came of a proposal. */
export function Made({ made, onClose }: { made: Schemas["PlanProposal"]; onClose: () => void }) {
  return (
    <div className="plan-made" role="status">
      <p>
        {made.placed === 1 ? "1 job placed" : `${made.placed} jobs placed`}
        {made.moved > 0 && `, ${made.moved} moved`}
        {made.added > 0 && `; ${made.added} came on the work list`}
        {made.left.length === 0 ? "; nothing is left out." : `; ${made.left.length} left out:`}
        <button type="button" className="act" onClick={onClose}>
          close
        </button>
      </p>
      {made.left.length > 0 && (
        <ul>
          {made.left.map((l) => (
            <li key={l.id}>
              <b className="figures">{l.unit}</b> {workNames[l.work]}: would need {l.text}
            </li>
          ))}
        </ul>
      )}
      {made.noDay.length > 0 && (
        <p className="alarm">
          Of {made.noDay.length === 1 ? "1 unit" : `${made.noDay.length} units`} no day is known, so that nothing of{" "}
          {made.noDay.length === 1 ? "it" : "them"} was added: {made.noDay.join(", ")}
        </p>
      )}
    </div>
  );
}
