import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { type Schemas, api } from "../api/client";
import { dayMinute } from "../words/figures";
import type { Board } from "./carry";

type Of = Schemas["CalendarOf"];

/** Calendars for other programs: a file now, or a secret address that they fetch. */
export function Calendars({
  board,
  coordinator,
  onClose,
}: {
  board: Board;
  coordinator: boolean;
  onClose: () => void;
}) {
  const queries = useQueryClient();
  const [of, setOf] = useState<Of>("technician");
  const targets: readonly (readonly [string, string])[] =
    of === "technician"
      ? board.technicians.map((t) => [String(t.id), t.name] as const)
      : of === "site"
        ? board.sites.map((s) => [String(s.id), s.name] as const)
        : board.bays.map(
            (b) =>
              [
                `${b.bay.site}-${b.bay.kind}-${b.bay.number}`,
                `${b.name}, ${board.sites.find((s) => s.id === b.bay.site)?.name ?? ""}`,
              ] as const,
          );
  const [chosen, setTarget] = useState("");
  const target = targets.some(([code]) => code === chosen) ? chosen : (targets[0]?.[0] ?? "");
  const made = useQuery({
    queryKey: ["plan calendars"],
    queryFn: ({ signal }) => api.calendars(signal),
    enabled: coordinator,
  });
  const refetch = () => queries.invalidateQueries({ queryKey: ["plan calendars"] });
  const add = useMutation({ mutationFn: () => api.addCalendar({ of, target }), onSuccess: refetch });
  const revoke = useMutation({ mutationFn: (id: number) => api.revokeCalendar(id), onSuccess: refetch });
  const address = add.data && new URL(add.data.address, window.location.origin).href;
  return (
    <section className="calendars" aria-label="Calendars">
      <form
        className="plan-form"
        onSubmit={(e) => {
          e.preventDefault();
          add.mutate();
        }}
      >
        <label>
          calendar of a
          <select value={of} onChange={(e) => setOf(e.target.value as Of)}>
            <option value="technician">technician</option>
            <option value="bay">bay</option>
            <option value="site">site</option>
          </select>
        </label>
        <label>
          which
          <select value={target} onChange={(e) => setTarget(e.target.value)}>
            {targets.map(([code, name]) => (
              <option key={code} value={code}>
                {name}
              </option>
            ))}
          </select>
        </label>
        <a className="act framed" href={`/api/v1/plan/calendar?of=${of}&target=${encodeURIComponent(target)}`}>
          download
        </a>
        {coordinator && (
          <button type="submit" className="solid" disabled={add.isPending || target === ""}>
            make a secret address
          </button>
        )}
        <button type="button" className="act" onClick={onClose}>
          close
        </button>
      </form>
      {(add.error ?? revoke.error) && (
        <p className="alarm" role="alert">
          {(add.error ?? revoke.error)?.message}
        </p>
      )}
      {address && (
        <p role="status">
          Anyone with this address can read the calendar; it is shown once:{" "}
          <input
            className="figures address"
            readOnly
            value={address}
            aria-label="address of the calendar"
            onFocus={(e) => e.target.select()}
          />
        </p>
      )}
      {(made.data ?? []).length > 0 && (
        <ul>
          {(made.data ?? []).map((c) => (
            <li key={c.id}>
              {c.name}{" "}
              <span className="faint">
                made {dayMinute(c.madeAt)} by {c.who}
              </span>
              <button
                type="button"
                className="act"
                disabled={revoke.isPending}
                aria-label={`revoke the address of ${c.name}`}
                onClick={() => revoke.mutate(c.id)}
              >
                revoke
              </button>
            </li>
          ))}
        </ul>
      )}
    </section>
  );
}
