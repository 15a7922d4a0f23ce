import { Box, Button, Flex, Link, Text } from "@chakra-ui/react";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { type ReactNode, type SyntheticEvent, useState } from "react";
import { Link as RouterLink } from "react-router";
import { DateField, unread } from "../account/DateField";
import { Problem, type Schemas, api } from "../api/client";
import { Cautions } from "../frame/Cautions";
import { Frame } from "../frame/Frame";
import { Failed, Waiting } from "../frame/State";
import { TakeAlong } from "../frame/TakeAlong";
import { usePerson } from "../people/session";
import { type FileFormat, download } from "../words/csv";
import { UnitCode } from "../marks/UnitCode";
import { dueWindow, figure, longDay } from "../words/figures";
import { verdictWords, workNames } from "../words/names";
import { Submit } from "../frame/Submit";

type Line = Schemas["WorkLine"];

/** Hands the lines over as a file, with the days as ISO dates. */
function downloadPlan(as: FileFormat, data: Schemas["WorkList"]) {
  return download(
    as,
    `plan-${data.today}`,
    ["from", "to", "unit", "name", "kind", "site", "work", "verdict", "why", "done", "sent by"],
    data.lines.map((l) => [
      l.item.from,
      l.item.to,
      l.unit.code,
      l.unit.name,
      l.unit.kind,
      l.unit.site,
      workNames[l.item.work],
      l.clock && verdictWords[l.clock.verdict],
      l.clock?.reason.text,
      l.done,
      l.addedBy,
    ]),
  );
}

/** The work list: the work that is meant to be done, between which days, and what the books say of it. */
export function WorkListPage() {
  const list = useQuery({ queryKey: ["work list"], queryFn: ({ signal }) => api.workList(signal) });
  const data = list.data;
  const open = data?.lines.filter((l) => l.done === undefined) ?? [];
  const late = open.filter((l) => data && l.item.to < data.today);
  const ahead = open.filter((l) => !late.includes(l));
  const done = data?.lines.filter((l) => l.done !== undefined) ?? [];
  return (
    <Frame title="Work list" head={data && longDay(data.today)} here="plan">
      {list.isPending && <Waiting what="the work list" />}
      {list.error && <Failed error={list.error} again={() => void list.refetch()} />}
      {data && (
        <Box maxW="1180px" className="planned">
          {data.lines.length > 0 && (
            <TakeAlong what="the work list" file={(as) => downloadPlan(as, data)} print={() => window.print()} />
          )}
          {data.lines.length === 0 && (
            <Text py="20px">
              Nothing is on the work list. On the{" "}
              <Link asChild color="accent" fontWeight="700">
                <RouterLink to="/horizon">Horizon</RouterLink>
              </Link>
              , pick units or a span of days and send them here.
            </Text>
          )}
          <Lines title="Past their days" lines={late} today={data.today} />
          <Lines title="To be done" lines={ahead} today={data.today} />
          <Lines title="Done by the books" lines={done} today={data.today} />
          {data.lines.length > 0 && <Cautions lines={data.cautions} />}
        </Box>
      )}
    </Frame>
  );
}

function Lines({ title, lines, today }: { title: string; lines: readonly Line[]; today: string }) {
  const queries = useQueryClient();
  const clear = useMutation({
    mutationFn: () => api.removeWork(lines.map((l) => l.item.id)),
    onSettled: () => queries.invalidateQueries(),
  });
  const coordinator = usePerson().role === "coordinator";
  if (lines.length === 0) return null;
  return (
    <Box as="section" mb="22px" aria-label={title}>
      <Flex justify="space-between" align="flex-end" borderBottomWidth="1px" borderColor="ink" pb="3px" gap="14px">
        <Text as="h2" fontWeight="700">
          {title}
        </Text>
        <Flex gap="14px" align="center">
          {coordinator && lines[0]?.done !== undefined && (
            <Button
              className="no-print"
              variant="plain"
              size="sm"
              px="0"
              h="24px"
              color="accent"
              disabled={clear.isPending}
              onClick={() => clear.mutate()}
            >
              remove all
            </Button>
          )}
          <Text as="span" className="figures" fontWeight="700">
            {figure(lines.length)}
          </Text>
        </Flex>
      </Flex>
      <Box as="ul" listStyleType="none">
        {lines.map((l) => (
          <PlannedLine key={l.item.id} line={l} today={today} coordinator={coordinator} />
        ))}
      </Box>
    </Box>
  );
}

function PlannedLine({ line, today, coordinator }: { line: Line; today: string; coordinator: boolean }) {
  const { unit, item, clock } = line;
  const [moving, setMoving] = useState(false);
  const queries = useQueryClient();
  const back = useMutation({
    mutationFn: () => api.removeWork([item.id]),
    onSettled: () => queries.invalidateQueries(),
  });
  const late = line.done === undefined && item.to < today;
  return (
    <Box as="li" borderBottomWidth="1px" borderColor="rule" py="4px" data-planned={unit.code}>
      <Box
        display="grid"
        className="planned-line"
        gridTemplateColumns={{
          base: "1fr auto",
          lg: "182px 72px 124px 104px minmax(0, 1fr) 116px",
          xl: "182px 72px 190px 104px minmax(0, 1fr) 116px",
        }}
        columnGap="12px"
        alignItems="center"
        minH="40px"
        _focusWithin={{ bg: "wash" }}
      >
        <Text className="figures" whiteSpace="nowrap" color={late ? "alarm" : undefined}>
          [ {dueWindow(item.from, item.to, today)} ]
        </Text>
        <Link asChild className="figures" fontWeight="700" color="ink" justifySelf={{ base: "end", lg: "start" }}>
          <RouterLink to={`/units/${encodeURIComponent(unit.code)}`} data-line="">
            <UnitCode code={unit.code} />
          </RouterLink>
        </Link>
        <Text lineClamp={1} title={`${unit.name}, ${unit.site}`}>
          {unit.name}
        </Text>
        <Text fontWeight="700" justifySelf={{ base: "end", lg: "start" }}>
          {workNames[item.work]}
        </Text>
        <Text gridColumn={{ base: "span 2", lg: "auto" }} fontSize="15px">
          {line.done !== undefined ? (
            <>done {longDay(line.done)}</>
          ) : (
            clock && (
              <>
                {verdictWords[clock.verdict]}: {clock.reason.text}
              </>
            )
          )}{" "}
          <Text as="span" color="faint" whiteSpace="nowrap">
            sent by {line.addedBy}
          </Text>
          {line.done === undefined && (
            <Link asChild className="no-print" marginLeft="8px" color="ink">
              <RouterLink to={`/job/new?unit=${encodeURIComponent(unit.code)}`}>job</RouterLink>
            </Link>
          )}
        </Text>
        {coordinator && (
          <Flex className="no-print" gridColumn={{ base: "span 2", lg: "auto" }} justify="flex-end">
            {line.done === undefined && (
              <Act label={`change the days of ${unit.code}`} onClick={() => setMoving(!moving)}>
                {moving ? "close" : "days"}
              </Act>
            )}
            <Act label={`remove ${unit.code}`} onClick={() => back.mutate()} disabled={back.isPending}>
              remove
            </Act>
          </Flex>
        )}
      </Box>
      {back.error && <Text color="alarm">{back.error.message}</Text>}
      {moving && <Days item={item} today={today} onDone={() => setMoving(false)} />}
    </Box>
  );
}

function Act(p: { label: string; onClick: () => void; disabled?: boolean; children: ReactNode }) {
  return (
    <Button
      size="sm"
      minH="44px"
      px="8px"
      variant="ghost"
      color="accent"
      aria-label={p.label}
      onClick={p.onClick}
      disabled={p.disabled ?? false}
    >
      {p.children}
    </Button>
  );
}

function Days({ item, today, onDone }: { item: Schemas["WorkItem"]; today: string; onDone: () => void }) {
  const [from, setFrom] = useState(item.from < today ? today : item.from);
  const [to, setTo] = useState(item.to < today ? today : item.to);
  const queries = useQueryClient();
  const move = useMutation({
    mutationFn: () => api.rescheduleWork(item.id, from, to),
    onSuccess: async () => {
      await queries.invalidateQueries();
      onDone();
    },
  });
  const refusalOf = (field: string) => (move.error instanceof Problem ? move.error.refusalOf(field) : undefined);
  function submit(event: SyntheticEvent) {
    event.preventDefault();
    if (!move.isPending) move.mutate();
  }
  return (
    <form onSubmit={submit} aria-label="Days of the work" noValidate>
      <Flex gap="12px" wrap="wrap" align="flex-start" pb="10px">
        <DateField label="from" value={from} onChange={setFrom} error={refusalOf("/from")} />
        <DateField label="to" value={to} onChange={setTo} error={refusalOf("/to")} />
        <Submit beside disabled={!from || !to || from === unread || to === unread || move.isPending}>
          these days
        </Submit>
      </Flex>
      {move.error && !refusalOf("/from") && !refusalOf("/to") && <Text color="alarm">{move.error.message}</Text>}
    </form>
  );
}
