import {
  DndContext,
  type DragOverEvent,
  DragOverlay,
  MouseSensor,
  TouchSensor,
  pointerWithin,
  useSensor,
  useSensors,
} from "@dnd-kit/core";
import { format } from "date-fns";
import { keepPreviousData, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { type KeyboardEvent, useCallback, useEffect, useMemo, useState } from "react";
import { Link as RouterLink, Navigate, useSearchParams } from "react-router";
import { Problem, type Schemas, api } from "../api/client";
import { Frame } from "../frame/Frame";
import { useEscape } from "../frame/keys";
import { useMedia } from "../frame/media";
import { Failed, Waiting } from "../frame/State";
import { UnitCode } from "../marks/UnitCode";
import { usePerson } from "../people/session";
import { longDay, weekDay } from "../words/figures";
import { Calendars } from "./Calendars";
import { type Broken, Says } from "./Says";
import { type Panel, Tools } from "./Tools";
import { Under } from "./Under";
import { Grid } from "./Grid";
import { Made, Propose } from "./Propose";
import { type Place, Selected } from "./Selected";
import { ToPlace } from "./ToPlace";
import { Weeks } from "./Weeks";
import { WhatIf } from "./WhatIf";
import {
  type Board,
  type Carry,
  type Cell,
  type PlanJob,
  addDays,
  beside,
  cellOf,
  mondayOf,
  sameCell,
  weekNumber,
} from "./carry";
import { useRevision } from "./useRevision";

/** The plan: days across, bays down; at the left what has no place yet. */
export function BoardPage() {
  const [params, setParams] = useSearchParams();
  const narrow = useMedia("(max-width: 719px)");
  const [today] = useState(() => format(new Date(), "yyyy-MM-dd"));
  const from = mondayOf(params.get("from") ?? today);
  const weeks = Number(params.get("weeks") ?? 2);
  const picked = useMemo(
    () =>
      (params.get("place") ?? "")
        .split(",")
        .map(Number)
        .filter((n) => n > 0),
    [params],
  );
  const plan = useQuery({
    queryKey: ["plan", from, weeks],
    queryFn: ({ signal }) => api.plan(from, weeks, signal),
    placeholderData: keepPreviousData,
  });
  const go = (to: string, n = weeks) => {
    const next = new URLSearchParams(params);
    next.set("from", to);
    next.set("weeks", String(n));
    setParams(next, { replace: true });
  };
  if (narrow && params.get("whole") === null && picked.length === 0) return <Navigate to="/plan/day" replace />;
  const board = plan.data;
  return (
    <Frame
      title="Plan"
      head={board && `${longDay(board.today)}, week ${weekNumber(mondayOf(board.today))}`}
      here="plan"
    >
      {plan.isPending && <Waiting what="the plan" />}
      {plan.error && <Failed error={plan.error} again={() => void plan.refetch()} />}
      {board && <PlanOf board={board} weeks={weeks} picked={picked} go={go} />}
    </Frame>
  );
}

function PlanOf({
  board,
  weeks,
  picked,
  go,
}: {
  board: Board;
  weeks: number;
  picked: readonly number[];
  go: (from: string, weeks?: number) => void;
}) {
  const queries = useQueryClient();
  const mayMove = usePerson().role === "coordinator";
  const [panel, setPanel] = useState<Panel | undefined>(picked.length > 0 ? "propose" : undefined);
  const [selectedId, setSelected] = useState<number>();
  const [carry, setCarry] = useState<Carry>();
  const [broken, setBroken] = useState<Broken>();
  const [made, setMade] = useState<Schemas["PlanProposal"]>();
  const [problem, setProblem] = useState<string>();
  const [priced, setPriced] = useState<string>();
  const [focusOn, setFocusOn] = useState<number>();
  const selected = board.jobs.find((j) => j.id === selectedId);
  const needs = useMemo(() => new Map((made?.left ?? []).map((l) => [l.id, l.text])), [made]);

  useRevision((revision) => {
    if (revision !== board.revision) void queries.invalidateQueries({ queryKey: ["plan"] });
  });
  useEffect(() => {
    if (focusOn === undefined) return;
    document.querySelector<HTMLElement>(`[data-job="${focusOn}"]`)?.focus();
  }, [focusOn, board]);
  // What is selected, and the cell that the keys are over, are kept in sight above the strip.
  const overKey = carry?.by === "keys" && carry.over ? `${carry.over.day}/${carry.over.bay}` : undefined;
  useEffect(() => {
    const at = overKey
      ? `[data-cell="${overKey}"]`
      : selectedId === undefined
        ? undefined
        : `[data-job="${selectedId}"]`;
    if (at) document.querySelector(at)?.scrollIntoView({ block: "center", inline: "nearest" });
  }, [overKey, selectedId]);

  const options = useQuery({
    queryKey: ["plan", "options", carry?.job.id, board.from, weeks, board.revision],
    queryFn: ({ signal }) => api.planOptions(carry?.job.id ?? 0, board.from, weeks, signal),
    enabled: carry !== undefined,
    staleTime: 0,
  });
  const days = carry && options.data?.id === carry.job.id ? options.data.days : undefined;
  const overOption = carry?.over && days?.[carry.over.day]?.[carry.over.bay];

  const settled = () => queries.invalidateQueries({ queryKey: ["plan"] });
  const failed = (error: Error) => {
    setProblem(
      error instanceof Problem && error.fields[0]
        ? (error.refusalOf(error.fields[0].pointer) ?? error.message)
        : error.message,
    );
  };
  const move = useMutation({
    mutationFn: ({ job, to, accepted }: { job: PlanJob; to: Place; accepted: boolean }) =>
      api.movePlan({
        item: job.id,
        day: to.day,
        bay: to.bay,
        accepted,
        ...(job.place ? { was: job.place } : {}),
        ...(to.technician === undefined ? {} : { technician: to.technician }),
      }),
    onMutate: () => setProblem(undefined),
    onSuccess: (answer, { job, to }) => {
      setBroken(
        answer.placed
          ? undefined
          : {
              job,
              to,
              breaks: answer.warned ? [...answer.price, ...answer.breaks] : answer.breaks,
              warned: answer.warned,
            },
      );
      setPriced(
        answer.placed
          ? `${job.unit} is on ${weekDay(to.day)} now: ${answer.price.join(", ") || "it costs the same"}`
          : undefined,
      );
      setFocusOn(job.id);
    },
    onError: failed,
    onSettled: settled,
  });
  const change = useMutation({
    mutationFn: (act: () => Promise<unknown>) => act(),
    onMutate: () => setProblem(undefined),
    onError: failed,
    onSettled: settled,
  });
  const busy = move.isPending || change.isPending;
  const saying = problem !== undefined || broken !== undefined || carry !== undefined;
  useEffect(() => {
    if (priced === undefined) return undefined;
    const gone = setTimeout(() => setPriced(undefined), 8_000);
    return () => clearTimeout(gone);
  }, [priced]);

  const placeAt = useCallback(
    (job: PlanJob, cell: Cell) => {
      const day = board.days[cell.day];
      const bay = board.bays[cell.bay];
      setCarry(undefined);
      if (!day || !bay || sameCell(cellOf(board, job), cell)) return;
      move.mutate({ job, to: { day: day.day, bay: bay.bay, technician: undefined }, accepted: false });
    },
    [board, move],
  );
  useEscape(
    useCallback(() => {
      setCarry(undefined);
      setBroken(undefined);
    }, []),
  );
  const onKey = (event: KeyboardEvent, job: PlanJob) => {
    if (event.key === " " && mayMove && !job.agreed && job.state !== "done" && weeks <= 2) {
      event.preventDefault();
      if (carry?.by === "keys" && carry.over) {
        placeAt(carry.job, carry.over);
        return;
      }
      setBroken(undefined);
      setCarry({ job, by: "keys", over: cellOf(board, job) ?? firstCell(board, job) });
      return;
    }
    if (carry?.by !== "keys" || !carry.over) return;
    if (event.key.startsWith("Arrow")) {
      event.preventDefault();
      setCarry({ ...carry, over: beside(board, carry.over, event.key) });
    } else if (event.key === "Enter") {
      event.preventDefault();
      placeAt(carry.job, carry.over);
    }
  };
  const sensors = useSensors(
    useSensor(MouseSensor, { activationConstraint: { distance: 5 } }),
    useSensor(TouchSensor, { activationConstraint: { delay: 180, tolerance: 8 } }),
  );
  const cellAt = (e: DragOverEvent) => e.over?.data.current as Cell | undefined;
  const monday = (n: number) => addDays(board.from, 7 * n);
  const shownMondays = Array.from({ length: weeks }, (_, n) => monday(n));

  return (
    <div className="plan-page">
      <Tools
        board={board}
        weeks={weeks}
        mayMove={mayMove}
        busy={busy}
        panel={panel}
        onPanel={(next) => setPanel(panel === next ? undefined : next)}
        go={go}
        act={(run) => change.mutate(run)}
      />
      {panel === "propose" && (
        <Propose key={board.from} board={board} items={picked} onDone={setMade} onClose={() => setPanel(undefined)} />
      )}
      {panel === "what-if" && <WhatIf board={board} onClose={() => setPanel(undefined)} />}
      {panel === "calendars" && <Calendars board={board} coordinator={mayMove} onClose={() => setPanel(undefined)} />}
      {made && <Made made={made} onClose={() => setMade(undefined)} />}
      <DndContext
        sensors={sensors}
        collisionDetection={pointerWithin}
        onDragStart={(e) => {
          setBroken(undefined);
          setCarry({ job: (e.active.data.current as { job: PlanJob }).job, by: "hand", over: undefined });
        }}
        onDragOver={(e) => setCarry((c) => c && { ...c, over: cellAt(e) })}
        onDragCancel={() => setCarry(undefined)}
        onDragEnd={(e) => {
          const cell = cellAt(e);
          const job = (e.active.data.current as { job: PlanJob }).job;
          if (cell) placeAt(job, cell);
          else setCarry(undefined);
        }}
      >
        <div className="plan-body">
          <ToPlace
            board={board}
            needs={needs}
            selected={selected}
            mayMove={mayMove}
            moving={move.isPending ? move.variables.job.id : undefined}
            onSelect={(j) => setSelected(j.id === selectedId ? undefined : j.id)}
            onKey={onKey}
          />
          <div className="board-and-under">
            <div className="plan-strip">
              <Says
                board={board}
                problem={problem}
                broken={broken}
                carry={carry}
                option={overOption}
                busy={busy}
                onAccept={(b) => move.mutate({ job: b.job, to: b.to, accepted: true })}
                onLeave={() => setBroken(undefined)}
              />
              {priced !== undefined && !saying && (
                <p className="priced" role="status">
                  {priced}
                </p>
              )}
              {weeks <= 2 && !saying && (
                <div className="agree-row no-print">
                  {shownMondays.map((m) => (
                    <AgreeWeek
                      key={m}
                      monday={m}
                      board={board}
                      mayMove={mayMove}
                      busy={busy}
                      act={(run) => change.mutate(run)}
                    />
                  ))}
                </div>
              )}
            </div>
            {board.bays.length === 0 ? (
              <p>
                There are no sites yet. Sites, their bays and technicians are in the{" "}
                <RouterLink className="link" to="/register/site">
                  Register
                </RouterLink>
                .
              </p>
            ) : weeks <= 2 ? (
              <Grid
                board={board}
                selected={selected}
                carry={carry}
                options={days}
                mayMove={mayMove}
                moving={move.isPending ? move.variables.job.id : undefined}
                onSelect={(j) => setSelected(j.id === selectedId ? undefined : j.id)}
                onKey={onKey}
              />
            ) : (
              <Weeks board={board} onWeek={(m) => go(m, 2)} />
            )}
            {board.technicians.length === 0 && (
              <p>
                There are no technicians yet: add them in the{" "}
                <RouterLink className="link" to="/register/technician">
                  Register
                </RouterLink>
                .
              </p>
            )}
          </div>
        </div>
        <DragOverlay dropAnimation={null}>
          {carry?.by === "hand" && (
            <span className={`bracket carried ${overOption?.state ?? ""}`}>
              <UnitCode code={carry.job.unit} />
            </span>
          )}
        </DragOverlay>
      </DndContext>
      {selected && (
        <Selected
          board={board}
          job={selected}
          mayMove={mayMove}
          busy={busy}
          onPlace={(to) => {
            setBroken(undefined);
            move.mutate({ job: selected, to, accepted: false });
          }}
          onOff={() =>
            change.mutate(() =>
              selected.place
                ? api.takeOffPlan({ items: [{ item: selected.id, was: selected.place }] })
                : Promise.resolve(),
            )
          }
          onPin={(pinned) =>
            change.mutate(() =>
              selected.place ? api.pinPlan({ item: selected.id, was: selected.place, pinned }) : Promise.resolve(),
            )
          }
          onClose={() => setSelected(undefined)}
        />
      )}
      <Under board={board} />
    </div>
  );
}

/** The first day from today on in a bay of the job's kind, where the keys begin. */
function firstCell(board: Board, job: PlanJob): Cell {
  const day = Math.max(
    0,
    board.days.findIndex((d) => !d.past),
  );
  const site = board.sites.find((s) => s.name === job.site)?.id;
  const own = board.bays.findIndex((b) => b.bay.kind === job.bay && b.bay.site === site);
  const any = board.bays.findIndex((b) => b.bay.kind === job.bay);
  return { day, bay: Math.max(0, own >= 0 ? own : any) };
}

function AgreeWeek(p: {
  monday: string;
  board: Board;
  mayMove: boolean;
  busy: boolean;
  act: (run: () => Promise<unknown>) => void;
}) {
  const { board, monday } = p;
  const agreed = board.days.some((d) => d.day === monday && d.agreed);
  const sunday = addDays(monday, 6);
  const jobs = board.jobs.filter(
    (j) => j.state === "placed" && j.place && monday <= j.place.day && j.place.day <= sunday,
  );
  const over = sunday < board.today;
  return (
    <div className="agree-week" data-week={monday}>
      <b>week {weekNumber(monday)}</b>
      <span>
        {agreed ? "agreed" : over ? "over" : "not agreed"}, <span className="figures">{jobs.length}</span>{" "}
        {jobs.length === 1 ? "job" : "jobs"}
      </span>
      {p.mayMove && !over && (
        <button
          type="button"
          className="act framed"
          disabled={p.busy}
          onClick={() => p.act(() => (agreed ? api.unlockWeek(monday) : api.agreeWeek(monday, board.revision)))}
        >
          {agreed ? "unlock" : "agree"}
        </button>
      )}
    </div>
  );
}
