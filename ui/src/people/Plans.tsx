import { Box, Button, Flex, Text } from "@chakra-ui/react";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { type SyntheticEvent, useState } from "react";
import { SelectField, TextField } from "../account/fields";
import { Problem, type Schemas, api } from "../api/client";
import { useSettled } from "../frame/settled";
import { Failed, Waiting } from "../frame/State";
import { figure } from "../words/figures";
import { clockNames, dueText, verdictWords } from "../words/reasons";

type Plan = Schemas["PlanInput"];
type School = Schemas["School"];

const schools: readonly (readonly [School, string])[] = [
  ["interval", "fixed interval"],
  ["condition", "condition first, interval as the outer limit"],
  ["sealed", "sealed for life, with a precaution of our own"],
];

/** The numbers of a plan as they are typed; empty sets no limit. */
const numbers = [
  ["first.months", "first, months"],
  ["first.km", "first, km"],
  ["first.hours", "first, h"],
  ["later.months", "later, months"],
  ["later.km", "later, km"],
  ["later.hours", "later, h"],
  ["freezeMargin", "K to spare"],
  ["replaced", "% new counts"],
  ["testMonths", "tests, months"],
  ["capMonths", "cap, months"],
  ["hoseMonths", "hoses, months"],
] as const;

type Name = (typeof numbers)[number][0];
type Typed = Readonly<Record<Name | "name", string> & { school: School }>;

function typedOf(p: Plan): Typed {
  const text = (v: number | undefined) => (v === undefined ? "" : String(v));
  return {
    name: p.name,
    school: p.school,
    "first.months": text(p.first.months),
    "first.km": text(p.first.km),
    "first.hours": text(p.first.hours),
    "later.months": text(p.later.months),
    "later.km": text(p.later.km),
    "later.hours": text(p.later.hours),
    freezeMargin: text(p.freezeMargin),
    replaced: text(Math.round(p.replaced * 1000) / 10),
    testMonths: text(p.testMonths),
    capMonths: text(p.capMonths),
    hoseMonths: text(p.hoseMonths),
  };
}

/** What was typed as a plan, or the first field that is no number. */
function planOf(t: Typed): Plan | { wrong: Name } {
  const read = (name: Name) => {
    const text = t[name].trim().replace(",", ".");
    return text === "" ? undefined : /^\d+(\.\d+)?$/.test(text) ? Number(text) : Number.NaN;
  };
  const wrong = numbers.find(([name]) => Number.isNaN(read(name)));
  if (wrong) return { wrong: wrong[0] };
  const span = (which: "first" | "later") => ({
    months: read(`${which}.months`),
    km: read(`${which}.km`),
    hours: read(`${which}.hours`),
  });
  return {
    name: t.name,
    school: t.school,
    first: span("first"),
    later: span("later"),
    freezeMargin: read("freezeMargin") ?? 0,
    replaced: (read("replaced") ?? 60) / 100,
    testMonths: read("testMonths"),
    capMonths: read("capMonths"),
    hoseMonths: read("hoseMonths"),
  };
}

/** The service plans, each to be changed after a look at what that does; and units to be put on another. */
export function Plans() {
  const [open, setOpen] = useState<number>();
  const plans = useQuery({ queryKey: ["plans"], queryFn: ({ signal }) => api.plans(signal) });
  return (
    <Box as="section" aria-label="Plans" mb="30px">
      <Text as="h2" fontWeight="700" borderBottomWidth="1px" borderColor="ink" pb="3px" mt="10px">
        Plans
      </Text>
      {plans.isPending && <Waiting what="the plans" />}
      {plans.error && <Failed error={plans.error} again={() => void plans.refetch()} />}
      {plans.data?.map((p) => (
        <Box key={p.id} borderBottomWidth="1px" borderColor="rule" data-plan={p.plan.name}>
          <Flex gap="14px" align="center" minH="44px" wrap="wrap">
            <Text w="230px" fontWeight="700">
              {p.plan.name}
            </Text>
            <Text flex="1" color="faint" minW="240px">
              {rules(p.plan)}
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
          {open === p.id && <Editor key={p.id} id={p.id} plan={p.plan} onDone={() => setOpen(undefined)} />}
        </Box>
      ))}
      {plans.data && <MoveUnit plans={plans.data} />}
    </Box>
  );
}

function rules(p: Plan): string {
  const span = (i: Schemas["Interval"]) =>
    [
      i.months !== undefined && `${figure(i.months)} mo`,
      i.km !== undefined && `${figure(i.km)} km`,
      i.hours !== undefined && `${figure(i.hours)} h`,
    ]
      .filter(Boolean)
      .join(" or ") || "as later";
  const looks = [
    p.testMonths !== undefined && `tests ${figure(p.testMonths)} mo`,
    p.capMonths !== undefined && `cap ${figure(p.capMonths)} mo`,
    p.hoseMonths !== undefined && `hoses ${figure(p.hoseMonths)} mo`,
  ].filter(Boolean);
  return [`first ${span(p.first)}, later ${span(p.later)}`, `${figure(p.freezeMargin)} K`, ...looks].join(" · ");
}

function Editor({ id, plan, onDone }: { id: number; plan: Plan; onDone: () => void }) {
  const [typed, setTyped] = useState<Typed>(() => typedOf(plan));
  const queries = useQueryClient();
  const settled = JSON.parse(useSettled(JSON.stringify(typed), 300)) as Typed;
  const wanted = planOf(settled);
  const preview = useQuery({
    queryKey: ["plan preview", id, settled],
    queryFn: ({ signal }) => {
      if ("wrong" in wanted) throw new Error("there is nothing to preview yet");
      return api.previewPlan(id, wanted, signal);
    },
    enabled: !("wrong" in wanted),
    placeholderData: (previous) => previous,
    retry: false,
  });
  const save = useMutation({
    mutationFn: (asNew: boolean) => {
      const now = planOf(typed);
      if ("wrong" in now) throw new Error("Not every figure is a number.");
      return asNew ? api.addPlan(now) : api.changePlan(id, now);
    },
    onSuccess: async () => {
      await queries.invalidateQueries();
      onDone();
    },
  });
  const refusal = save.error ?? (preview.isPlaceholderData ? null : preview.error);
  const said = (name: string) => {
    if ("wrong" in wanted && wanted.wrong === name) return `“${typed[wanted.wrong]}” is not a number`;
    return refusal instanceof Problem ? refusal.said(`/${name.replace(".", "/")}`) : undefined;
  };
  const unreadable = "wrong" in planOf(typed);
  function submit(event: SyntheticEvent) {
    event.preventDefault();
    if (!save.isPending) save.mutate(false);
  }
  return (
    <Box asChild pb="14px">
      <form onSubmit={submit} aria-label={`Change ${plan.name}`} noValidate>
        <Flex gap="12px" rowGap="8px" wrap="wrap" align="flex-start">
          <TextField
            label="name"
            width="230px"
            value={typed.name}
            onChange={(name) => setTyped({ ...typed, name })}
            error={said("name")}
          />
          <SelectField
            label="school"
            width="330px"
            value={typed.school}
            options={schools}
            onChange={(school) => setTyped({ ...typed, school })}
          />
          {numbers.map(([name, label]) => (
            <TextField
              key={name}
              label={label}
              figures
              width="106px"
              value={typed[name]}
              onChange={(v) => setTyped({ ...typed, [name]: v })}
              error={said(name)}
            />
          ))}
        </Flex>
        <Box mt="10px" aria-live="polite" minH="50px" data-testid="plan-effect">
          {refusal && <Text color="alarm">Not taken: {refusal.message}</Text>}
          {!refusal && preview.data && <EffectOfPlan effect={preview.data} />}
        </Box>
        <Flex gap="10px">
          <Button
            type="submit"
            minH="44px"
            borderRadius="0"
            bg="ink"
            color="page"
            disabled={unreadable || save.isPending}
          >
            change it for all its units
          </Button>
          <Button
            minH="44px"
            variant="ghost"
            color="accent"
            disabled={unreadable || save.isPending || typed.name.trim() === plan.name}
            onClick={() => save.mutate(true)}
          >
            add as a new plan of that name
          </Button>
        </Flex>
      </form>
    </Box>
  );
}

function EffectOfPlan({ effect }: { effect: Schemas["PlanEffect"] }) {
  const [all, setAll] = useState(false);
  if (effect.rows.length === 0) return <Text color="faint">No unit would stand otherwise.</Text>;
  const units = (n: number) => `${figure(n)} ${n === 1 ? "unit" : "units"}`;
  const today = new Date().toISOString().slice(0, 10);
  const state = (o: Schemas["Outlook"]) => {
    const c = o.clocks[0];
    return c
      ? `${verdictWords[o.verdict]}, ${clockNames[c.kind].toLowerCase()} ${dueText(c, today)}`
      : verdictWords[o.verdict];
  };
  return (
    <>
      <Text fontWeight="700">
        This change makes {units(effect.newlyDue)} due within the month that {effect.newlyDue === 1 ? "was" : "were"}{" "}
        not, and takes {units(effect.relieved)} off the list; {units(effect.rows.length)} would stand otherwise.
      </Text>
      <Box as="ul" listStyleType="none" fontSize="14px">
        {effect.rows.slice(0, all ? undefined : 5).map((r) => (
          <li key={r.unit.code}>
            <b className="figures">{r.unit.code}</b> {state(r.before)} → {state(r.after)}
          </li>
        ))}
      </Box>
      {!all && effect.rows.length > 5 && (
        <Button variant="plain" px="0" color="accent" size="sm" onClick={() => setAll(true)}>
          show all {figure(effect.rows.length)}
        </Button>
      )}
    </>
  );
}

/** One unit onto another plan. */
function MoveUnit({ plans }: { plans: readonly Schemas["RegisterPlan"][] }) {
  const [code, setCode] = useState("");
  const [plan, setPlan] = useState("");
  const queries = useQueryClient();
  const move = useMutation({
    mutationFn: () => api.putOnPlan(code.trim(), Number(plan)),
    onSuccess: () => queries.invalidateQueries(),
  });
  function submit(event: SyntheticEvent) {
    event.preventDefault();
    if (!move.isPending) move.mutate();
  }
  return (
    <form onSubmit={submit} aria-label="Put a unit on a plan" noValidate>
      <Flex gap="14px" rowGap="8px" align="flex-start" wrap="wrap" mt="12px">
        <TextField label="unit" width="120px" value={code} onChange={setCode} />
        <SelectField
          label="onto the plan"
          width="260px"
          value={plan}
          options={plans.map((p) => [String(p.id), p.plan.name] as const)}
          onChange={setPlan}
        />
        <Button
          type="submit"
          mt="24px"
          minH="44px"
          borderRadius="0"
          bg="ink"
          color="page"
          disabled={!code || !plan || move.isPending}
        >
          put it there
        </Button>
      </Flex>
      <Box aria-live="polite" minH="24px">
        {move.isSuccess && <Text>It is on that plan now.</Text>}
        {move.error && <Text color="alarm">{move.error.message}</Text>}
      </Box>
    </form>
  );
}
