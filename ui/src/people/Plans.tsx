import { Box, Button, Flex, Text } from "@chakra-ui/react";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { type ReactNode, type SyntheticEvent, useState } from "react";
import { SelectField, TextField } from "../account/fields";
import { Problem, type Schemas, api } from "../api/client";
import { useSettled } from "../frame/settled";
import { Failed, Waiting } from "../frame/State";
import { figure } from "../words/figures";
import { word } from "../words/names";
import { Submit } from "../frame/Submit";
import { TakeAlong } from "../frame/TakeAlong";
import { download } from "../words/csv";
import { EffectOfPlan } from "./EffectOfPlan";
import { SectionHeading } from "./SectionHeading";

type Plan = Schemas["ServicePlanInput"];
type Strategy = Schemas["Strategy"];
type Part = Schemas["PartInterval"]["part"];

const strategies: readonly (readonly [Strategy, string])[] = [
  ["interval", "fixed interval"],
  ["condition", "condition first, interval as the outer limit"],
  ["sealed", "sealed for life, with a precaution of our own"],
];

/** The intervals: a table of the first and the later ones by what sets the limit. Empty sets none. */
const intervals = ["first", "later"] as const;
const limits = ["months", "km", "hours"] as const;
const intervalNames = { first: "first renewal after", later: "later renewals after" };

/** Parts that a plan may give an interval. */
const parts: readonly Part[] = ["impeller", "anodes", "heat_exchanger", "anti_siphon", "block_heater", "inspection"];

/** The other numbers of a plan, in groups, each with the unit of what is typed. */
const groups = [
  {
    title: "Freeze protection and renewal",
    fields: [
      ["freezeMargin", "margin below the coldest night", "K"],
      ["replaced", "new share that counts as a renewal", "%"],
    ],
  },
  {
    title: "Tests and checks",
    fields: [
      ["testMonths", "freeze test every", "months"],
      ["capMonths", "cap test every", "months"],
      ["hoseMonths", "hose check every", "months"],
      ["hoseYears", "hoses renewed after", "years"],
    ],
  },
  {
    title: "Level checked cold after a renewal",
    fields: [
      ["followDays", "on the first", "days"],
      ["followRuns", "or after each of the first", "runs"],
    ],
  },
] as const;

const spans = intervals.flatMap((which) => limits.map((limit) => `${which}.${limit}` as const));
const others = groups.flatMap((g) => g.fields.map(([name]) => name));
const partSpans = parts.flatMap((part) => limits.map((limit) => `${part}.${limit}` as const));
const numbers = [...spans, ...partSpans, ...others];

/** Parts of which something was typed, in the order in which they are sent. */
const partsTyped = (t: Typed) => parts.filter((part) => limits.some((limit) => t[`${part}.${limit}`].trim() !== ""));

/** What a field is called where it is spoken of. */
function labelOf(name: Name, distanceUnit: DistanceUnit): string {
  for (const g of groups) for (const [field, label, unit] of g.fields) if (field === name) return `${label}, ${unit}`;
  const [which = "", limit = ""] = name.split(".");
  const unit = limit === "km" ? distanceUnit : limit === "hours" ? "h" : limit;
  const of = which in intervalNames ? intervalNames[which as keyof typeof intervalNames] : `${word(which)} every`;
  return `${of}, ${unit}`;
}

type Name = (typeof spans)[number] | (typeof partSpans)[number] | (typeof others)[number];
type DistanceUnit = NonNullable<Plan["distanceUnit"]>;
type Typed = Readonly<Record<Name | "name", string> & { strategy: Strategy; distanceUnit: DistanceUnit }>;

const distanceUnits: readonly (readonly [DistanceUnit, string])[] = [
  ["km", "kilometres"],
  ["mi", "miles"],
];

function typedOf(p: Plan): Typed {
  const text = (v: number | undefined) => (v === undefined ? "" : String(v));
  return {
    name: p.name,
    strategy: p.strategy,
    "first.months": text(p.first.months),
    distanceUnit: p.distanceUnit ?? "km",
    "first.km": text(p.first.km ?? p.first.miles),
    "first.hours": text(p.first.hours),
    "later.months": text(p.later.months),
    "later.km": text(p.later.km ?? p.later.miles),
    "later.hours": text(p.later.hours),
    freezeMargin: text(p.freezeMargin),
    replaced: text(Math.round(p.replaced * 1000) / 10),
    testMonths: text(p.testMonths),
    capMonths: text(p.capMonths),
    hoseMonths: text(p.hoseMonths),
    hoseYears: text(p.hoseYears),
    followDays: text(p.followDays),
    followRuns: text(p.followRuns),
    ...(Object.fromEntries(
      parts.flatMap((part) => {
        const of = p.parts?.find((o) => o.part === part);
        return [
          [`${part}.months`, text(of?.months)],
          [`${part}.km`, text(of?.km ?? of?.miles)],
          [`${part}.hours`, text(of?.hours)],
        ];
      }),
    ) as Record<(typeof partSpans)[number], string>),
  };
}

/** The numbers as typed, for the server to read. */
const textsOf = (t: Typed) => Object.fromEntries(numbers.map((name) => [name, t[name]]));

/** What was typed as a plan, with its numbers as the server read them. */
function planOf(t: Typed, values: Readonly<Record<string, number>>): Plan {
  const read = (name: Name) => values[name];
  const span = (which: "first" | "later" | Part) => ({
    months: read(`${which}.months`),
    [t.distanceUnit === "mi" ? "miles" : "km"]: read(`${which}.km`),
    hours: read(`${which}.hours`),
  });
  return {
    name: t.name,
    strategy: t.strategy,
    distanceUnit: t.distanceUnit,
    first: span("first"),
    later: span("later"),
    freezeMargin: read("freezeMargin") ?? 0,
    replaced: (read("replaced") ?? 60) / 100,
    testMonths: read("testMonths"),
    capMonths: read("capMonths"),
    hoseMonths: read("hoseMonths"),
    hoseYears: read("hoseYears"),
    followDays: read("followDays"),
    followRuns: read("followRuns"),
    parts: partsTyped(t).map((part) => ({ part, ...span(part) })),
  };
}

/** The service plans, each to be changed after a preview of what that does; and units to be put on another. */
export function Plans() {
  const [open, setOpen] = useState<number>();
  const [done, setDone] = useState<Done>();
  const plans = useQuery({ queryKey: ["plans"], queryFn: ({ signal }) => api.servicePlans(signal) });
  return (
    <Box as="section" aria-label="Plans" mb="30px">
      <SectionHeading
        end={
          plans.data && (
            <TakeAlong
              what="the service plans"
              file={(as) =>
                download(
                  as,
                  "service-plans",
                  ["service plan", "strategy", "units", "rules"],
                  plans.data.map((p) => [
                    p.plan.name,
                    strategies.find(([s]) => s === p.plan.strategy)?.[1],
                    p.units,
                    p.text,
                  ]),
                )
              }
            />
          )
        }
      >
        Service plans
      </SectionHeading>
      {plans.isPending && <Waiting what="the plans" />}
      {plans.error && <Failed error={plans.error} again={() => void plans.refetch()} />}
      {plans.data?.map((p) => (
        <Box key={p.id} borderBottomWidth="1px" borderColor="rule" data-plan={p.plan.name}>
          <Flex gap="14px" align="center" minH="44px" wrap="wrap">
            <Text w={{ base: "230px", md: "150px", lg: "230px" }} fontWeight="700">
              {p.plan.name}
            </Text>
            <Text flex="1" color="faint" minW="240px">
              {p.text}
            </Text>
            <Text className="figures" w="84px" textAlign="right">
              {figure(p.units)} {p.units === 1 ? "unit" : "units"}
            </Text>
            <Button
              size="sm"
              minH="44px"
              variant="ghost"
              color="accent"
              aria-expanded={open === p.id}
              aria-label={`${open === p.id ? "close" : "change"} ${p.plan.name}`}
              onClick={() => setOpen(open === p.id ? undefined : p.id)}
            >
              {open === p.id ? "close" : "change"}
            </Button>
          </Flex>
          {done?.id === p.id && open !== p.id && <Changed key={done.revision} done={done} onUndone={setDone} />}
          {open === p.id && (
            <Editor
              key={p.id}
              id={p.id}
              mark={p.revision}
              plan={p.plan}
              onDone={(what) => {
                setDone(what);
                setOpen((now) => (now === p.id ? undefined : now));
              }}
            />
          )}
        </Box>
      ))}
      {plans.data && <Move plans={plans.data} />}
    </Box>
  );
}

/** What was done to a plan last, with the plan before, which can be restored. */
interface Done {
  readonly id: number;
  readonly revision: string;
  readonly said: string;
  readonly before: Plan | undefined;
}

function Changed({ done, onUndone }: { done: Done; onUndone: (done: Done) => void }) {
  const queries = useQueryClient();
  const undo = useMutation({
    mutationFn: (before: Plan) => api.changeServicePlan(done.id, done.revision, before),
    onSuccess: async (saved) => {
      await queries.invalidateQueries();
      onUndone({ id: saved.id, revision: saved.revision, said: "Undone: the plan is as it was.", before: undefined });
    },
  });
  const { before } = done;
  return (
    <p role="status" style={{ paddingBottom: "6px" }}>
      {done.said}{" "}
      {before && (
        <button type="button" className="act line" disabled={undo.isPending} onClick={() => undo.mutate(before)}>
          undo
        </button>
      )}
      {undo.error && <span className="alarm"> {undo.error.message}</span>}
    </p>
  );
}

function Editor({ id, mark, plan, onDone }: { id: number; mark: string; plan: Plan; onDone: (done: Done) => void }) {
  const [typed, setTyped] = useState<Typed>(() => typedOf(plan));
  const queries = useQueryClient();
  const settled = JSON.parse(useSettled(JSON.stringify(typed), 300)) as Typed;
  const numbersRead = useQuery({
    queryKey: ["numbers", textsOf(settled)],
    queryFn: ({ signal }) => api.numbers(textsOf(settled), signal),
    placeholderData: (previous) => previous,
    staleTime: Number.POSITIVE_INFINITY,
  });
  const wrong = numbersRead.data?.wrong ?? {};
  const unreadable = Object.keys(wrong).length > 0;
  const preview = useQuery({
    queryKey: ["plan preview", id, settled],
    queryFn: async ({ signal }) => {
      const { values } = await api.numbers(textsOf(settled), signal);
      return api.previewServicePlan(id, planOf(settled, values), signal);
    },
    enabled: numbersRead.data !== undefined && !numbersRead.isPlaceholderData && !unreadable,
    placeholderData: (previous) => previous,
    retry: false,
  });
  // The status changes on the screen are those of an earlier text.
  const stale = preview.isPlaceholderData || JSON.stringify(settled) !== JSON.stringify(typed);
  // Of the text as shown; what was just typed is read when it is sent.
  const refused = unreadable && !numbersRead.isPlaceholderData && JSON.stringify(settled) === JSON.stringify(typed);
  const save = useMutation({
    mutationFn: async (asNew: boolean) => {
      const read = await api.numbers(textsOf(typed));
      if (Object.keys(read.wrong).length > 0) throw new Error("Not every figure is a number.");
      const now = planOf(typed, read.values);
      return asNew ? api.addServicePlan(now) : api.changeServicePlan(id, mark, now);
    },
    onSuccess: async (saved, asNew) => {
      await queries.invalidateQueries();
      onDone({
        id: saved.id,
        revision: saved.revision,
        said: asNew ? "Added." : "Changed.",
        before: asNew ? undefined : plan,
      });
    },
    // When another person changed it, the next press applies to the plan's text at that time.
    onError: (error) =>
      error instanceof Problem && error.status === 412 ? queries.invalidateQueries({ queryKey: ["plans"] }) : undefined,
  });
  const type = (part: Partial<Typed>) => {
    save.reset();
    setTyped({ ...typed, ...part });
  };
  const changedMeanwhile = save.error instanceof Problem && save.error.status === 412;
  const refusal = save.error ?? (preview.isPlaceholderData ? null : preview.error);
  const refusalOf = (name: string) => {
    const accepted = wrong[name];
    if (accepted !== undefined) return `“${typed[name as Name]}” is not accepted; accepted: ${accepted}`;
    return refusal instanceof Problem ? refusal.refusalOf(pointer(name)) : undefined;
  };
  const pointer = (name: string) => {
    const part = partsTyped(typed).findIndex((p) => name.startsWith(`${p}.`));
    return pointerOf(part < 0 ? name : `parts.${part}.${name.split(".")[1] ?? ""}`);
  };
  const pointerOf = (name: string) =>
    `/${typed.distanceUnit === "mi" ? name.replace(".km", "/miles") : name}`.replaceAll(".", "/");
  /** The fields that say themselves what is wrong with them. */
  const placed = [
    ...(refusalOf("name") === undefined ? [] : ["name"]),
    ...numbers.filter((name) => refusalOf(name) !== undefined).map((name) => labelOf(name, typed.distanceUnit)),
  ];
  const number = (name: Name, hidden: boolean) => (
    <TextField
      label={labelOf(name, typed.distanceUnit)}
      hidden={hidden}
      figures
      width={hidden ? "106px" : "auto"}
      value={typed[name]}
      onChange={(v) => type({ [name]: v })}
      error={refusalOf(name)}
    />
  );
  function submit(event: SyntheticEvent) {
    event.preventDefault();
    if (!save.isPending) save.mutate(false);
  }
  return (
    <Box asChild pb="14px">
      <form onSubmit={submit} aria-label={`Change ${plan.name}`} noValidate>
        <Text color="faint" mb="6px">
          An interval left empty sets no limit.
        </Text>
        <Flex gap="12px" rowGap="8px" wrap="wrap" align="flex-start">
          <TextField
            label="name"
            width="230px"
            value={typed.name}
            onChange={(name) => type({ name })}
            error={refusalOf("name")}
          />
          <SelectField
            label="strategy"
            width="330px"
            value={typed.strategy}
            options={strategies}
            onChange={(strategy) => type({ strategy })}
          />
          <SelectField
            label="distances in"
            width="120px"
            value={typed.distanceUnit}
            options={distanceUnits}
            onChange={(distanceUnit) => type({ distanceUnit })}
          />
        </Flex>
        <IntervalTable
          caption="Renewal, by whichever limit comes first"
          unit={typed.distanceUnit}
          rows={intervals.map((which) => ({ name: which, label: intervalNames[which] }))}
          cell={(which, limit) => number(`${which}.${limit}`, true)}
        />
        <IntervalTable
          caption="Parts and inspections, by whichever limit comes first"
          unit={typed.distanceUnit}
          rows={parts.map((part) => ({ name: part, label: `${word(part)} every` }))}
          cell={(part, limit) => number(`${part}.${limit}`, true)}
        />
        <Flex gap="10px 40px" wrap="wrap" align="flex-start">
          {groups.map((g) => (
            <fieldset key={g.title} className="plan-group">
              <legend>{g.title}</legend>
              {g.fields.map(([name]) => (
                <div key={name}>{number(name, false)}</div>
              ))}
            </fieldset>
          ))}
        </Flex>
        <Box mt="10px" aria-live="polite" minH="50px" data-testid="plan-effect">
          {refusal && (
            <Text color="alarm">
              Not taken: {placed.length > 0 ? `see ${placed.join("; ")}` : refusal.message}
              {changedMeanwhile && ". What you typed is still here: compare both, then change it anyway or close."}
            </Text>
          )}
          {!refusal && unreadable && (
            <Text color="faint">Which units would change status is shown once every figure is a number.</Text>
          )}
          {!refusal && !unreadable && preview.data && (
            <Box color={stale ? "faint" : undefined} aria-busy={stale}>
              <EffectOfPlan effect={preview.data} />
            </Box>
          )}
        </Box>
        <Flex gap="10px">
          <Submit disabled={refused || save.isPending}>change it for all its units</Submit>
          <Button
            minH="44px"
            variant="ghost"
            color="accent"
            disabled={refused || save.isPending || typed.name.trim() === plan.name}
            onClick={() => save.mutate(true)}
          >
            add as a new plan of that name
          </Button>
        </Flex>
      </form>
    </Box>
  );
}

const kinds: readonly (readonly [Schemas["UnitKind"] | "unit", string])[] = [
  ["unit", "one unit"],
  ["car", "all cars"],
  ["truck", "all trucks"],
  ["motorcycle", "all motorcycles"],
  ["boat", "all boats"],
  ["aircraft", "all aircraft"],
];

/** One unit, or all of a kind, onto another plan. */
function Move({ plans }: { plans: readonly Schemas["ServicePlan"][] }) {
  const [kind, setKind] = useState<Schemas["UnitKind"] | "unit">("unit");
  const [site, setSite] = useState("");
  const [code, setCode] = useState("");
  const [plan, setPlan] = useState("");
  const queries = useQueryClient();
  const sites = useQuery({ queryKey: ["sites"], queryFn: ({ signal }) => api.sites(signal) });
  const meant = kind === "unit" ? undefined : { kind, ...(site ? { site } : {}) };
  const preview = useQuery({
    queryKey: ["kind preview", meant, plan],
    queryFn: ({ signal }) => {
      if (!meant) throw new Error("one unit is not previewed");
      return api.previewServicePlanByKind(Number(plan), meant, signal);
    },
    enabled: meant !== undefined && plan !== "",
    retry: false,
  });
  const move = useMutation({
    mutationFn: async () => {
      if (meant) return (await api.assignServicePlanByKind(Number(plan), meant)).moved;
      await api.assignServicePlan(code.trim(), Number(plan));
      return 1;
    },
    onSuccess: () => queries.invalidateQueries(),
  });
  /** What was done before is given no longer once something else is meant. */
  const anew =
    <T,>(set: (value: T) => void) =>
    (value: T) => {
      move.reset();
      set(value);
    };
  function submit(event: SyntheticEvent) {
    event.preventDefault();
    if (!move.isPending) move.mutate();
  }
  const ready = plan !== "" && (meant !== undefined || code.trim() !== "");
  return (
    <form onSubmit={submit} aria-label="Put units on a service plan" noValidate>
      <Flex gap="14px" rowGap="8px" align="flex-start" wrap="wrap" mt="12px">
        <SelectField label="what" width="150px" value={kind} options={kinds} onChange={anew(setKind)} />
        {kind === "unit" ? (
          <TextField label="unit" width="120px" value={code} onChange={anew(setCode)} />
        ) : (
          <SelectField
            label="at"
            width="160px"
            value={site}
            unsaid="all sites"
            options={(sites.data ?? []).map((s) => [s.name, s.name] as const)}
            onChange={anew(setSite)}
          />
        )}
        <SelectField
          label="service plan"
          width="260px"
          value={plan}
          options={plans.map((p) => [String(p.id), p.plan.name] as const)}
          onChange={anew(setPlan)}
        />
        <Submit beside disabled={!ready || move.isPending}>
          put {kind === "unit" ? "it" : "them"} there
        </Submit>
      </Flex>
      <Box aria-live="polite" minH="24px" data-testid="move-effect">
        {meant && preview.data && !move.isSuccess && <EffectOfPlan effect={preview.data} />}
        {move.isSuccess && (
          <Text>
            {figure(move.data)} {move.data === 1 ? "unit is" : "units are"} on that plan now.
          </Text>
        )}
        {(move.error ?? preview.error) && <Text color="alarm">{(move.error ?? preview.error)?.message}</Text>}
      </Box>
    </form>
  );
}

/** Intervals in rows, with a column for each limit. */
function IntervalTable<Row extends string>(p: {
  caption: string;
  unit: DistanceUnit;
  rows: readonly { name: Row; label: string }[];
  cell: (row: Row, limit: (typeof limits)[number]) => ReactNode;
}) {
  return (
    <table className="plan-table">
      <caption>{p.caption}</caption>
      <thead>
        <tr>
          <td />
          {["months", p.unit, "hours"].map((head) => (
            <th key={head} scope="col">
              {head}
            </th>
          ))}
        </tr>
      </thead>
      <tbody>
        {p.rows.map((row) => (
          <tr key={row.name}>
            <th scope="row">{row.label}</th>
            {limits.map((limit) => (
              <td key={limit}>{p.cell(row.name, limit)}</td>
            ))}
          </tr>
        ))}
      </tbody>
    </table>
  );
}
