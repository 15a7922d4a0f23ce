import { Box, Button, Flex, Table, Text } from "@chakra-ui/react";
import { useInfiniteQuery, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { type SyntheticEvent, useState } from "react";
import { type AuditQuery, Problem, type Role, type Schemas, api } from "../api/client";
import { DateField, unread } from "../account/DateField";
import { TakeAlong } from "../frame/TakeAlong";
import { TypedFilter } from "../frame/TypedFilter";
import { type FileFormat, download } from "../words/csv";
import { SelectField, TextField } from "../account/fields";
import { Frame } from "../frame/Frame";
import { Failed, Waiting } from "../frame/State";
import { dayTime } from "../words/figures";
import { auditNames, roleNames } from "../words/names";
import { Plans } from "./Plans";
import { SectionHeading } from "./SectionHeading";
import { Sites } from "./Sites";
import { RegisterIndex } from "../register/RegisterIndex";
import { mayRegister, usePerson } from "./session";
import { Submit } from "../frame/Submit";
import { Tokens } from "./Tokens";

const roles: readonly (readonly [Role, string])[] = [
  ["technician", "technician: writes what was done and found"],
  ["coordinator", "coordinator: owns the list, the register and the people"],
  ["signatory", "signatory: releases"],
  ["reader", "reader: reads, such as an auditor"],
];

/** The register: the people, and the audit of what was done to them. */
export function RegisterPage() {
  const person = usePerson();
  return (
    <Frame title="Register" head="service plans, sites, people, and what was changed" here="register">
      <RegisterIndex />
      {!mayRegister(person.role) && <Text py="20px">The register is the coordinator’s.</Text>}
      <Box maxW="1060px">
        {person.role === "coordinator" && (
          <p className="no-print" style={{ padding: "10px 0" }}>
            <a className="link" href="/api/v1/archive" download>
              everything as one open archive
            </a>{" "}
            <span className="faint">that empty books read again; passwords are in it as hashes: keep it safe.</span>
          </p>
        )}
        {person.role === "coordinator" && <Plans />}
        {person.role === "coordinator" && <Sites />}
        {person.role === "coordinator" && <FleetZone />}
        {person.role === "coordinator" && <People />}
        {person.role === "coordinator" && <Tokens />}
        {mayRegister(person.role) && <Audit />}
      </Box>
    </Frame>
  );
}

/** The time zone of the fleet, in which a moment falls on a day. */
function FleetZone() {
  const settings = useQuery({ queryKey: ["settings"], queryFn: ({ signal }) => api.settings(signal) });
  const [typed, setTyped] = useState<string>();
  const queries = useQueryClient();
  const change = useMutation({
    mutationFn: (zone: string) => api.changeSettings({ zone }),
    onSuccess: () => queries.invalidateQueries(),
  });
  const zone = typed ?? settings.data?.zone ?? "";
  function submit(event: SyntheticEvent) {
    event.preventDefault();
    if (!change.isPending) change.mutate(zone.trim());
  }
  return (
    <Box as="section" aria-label="Time zone" mb="30px">
      <SectionHeading>Time zone of the fleet</SectionHeading>
      <form onSubmit={submit} aria-label="Time zone of the fleet" noValidate>
        <Flex gap="14px" align="flex-start" wrap="wrap" py="8px">
          <TextField
            label="time zone of the fleet"
            hidden
            width="220px"
            value={zone}
            onChange={setTyped}
            error={change.error instanceof Problem ? change.error.refusalOf("/zone") : undefined}
          />
          <Submit disabled={zone.trim() === settings.data?.zone || zone.trim() === "" || change.isPending}>
            set it
          </Submit>
          <Text flex="1" minW="240px" color="faint" pt="10px">
            A moment falls on a day of this zone, wherever the server is. A site may have its own.
          </Text>
        </Flex>
      </form>
    </Box>
  );
}

function People() {
  const people = useQuery({ queryKey: ["people"], queryFn: ({ signal }) => api.people(signal) });
  return (
    <Box as="section" aria-label="People" mb="30px">
      <SectionHeading
        end={
          people.data && (
            <TakeAlong
              what="the people"
              file={(as) =>
                download(
                  as,
                  "people",
                  ["name", "e-mail address", "role", "account", "invited"],
                  people.data.map((p) => [
                    p.name,
                    p.email,
                    roleNames[p.role],
                    p.active ? "open" : "closed",
                    p.invited ? "yes" : "",
                  ]),
                )
              }
            />
          )
        }
      >
        People
      </SectionHeading>
      {people.isPending && <Waiting what="the people" />}
      {people.error && <Failed error={people.error} again={() => void people.refetch()} />}
      {people.data?.map((p) => (
        <PersonLine key={p.id} person={p} />
      ))}
      <Invite />
    </Box>
  );
}

/** A change of a person that is asked about before it is made. */
interface Change {
  readonly words: string;
  readonly body: { role?: Role; active?: boolean };
}

function PersonLine({ person }: { person: Schemas["Person"] }) {
  const queries = useQueryClient();
  const [asked, setAsked] = useState<Change>();
  const [edited, setEdited] = useState<{ of: "name" | "email"; value: string }>();
  const refresh = async () => {
    setAsked(undefined);
    setEdited(undefined);
    await queries.invalidateQueries({ queryKey: ["people"] });
  };
  const change = useMutation({
    mutationFn: (body: { role?: Role; active?: boolean; name?: string; email?: string }) =>
      api.changePerson(person.id, body),
    onSuccess: refresh,
  });
  // What is said beside its field is not said again below.
  const placed =
    edited && change.error instanceof Problem ? change.error.refusalOf(`/${edited.of}`) !== undefined : false;
  const mayBeInvited = person.invited && person.active;
  const again = useMutation({ mutationFn: () => api.inviteAgain(person.id) });
  const small = { size: "sm", minH: "44px", variant: "ghost", color: "accent" } as const;
  return (
    <Box borderBottomWidth="1px" borderColor="rule" py="6px" role="group" aria-label={person.name}>
      <Flex gap="14px" rowGap="4px" align="center" wrap="wrap">
        <Text w="170px" fontWeight="700" color={person.active ? undefined : "faint"}>
          {person.name}
        </Text>
        <Text flex="1" minW="200px" color="faint" lineClamp={1}>
          {person.email}
          {person.invited && " · has not chosen a password yet"}
          {!person.active && " · may not sign in"}
        </Text>
        <SelectField
          label={`role of ${person.name}`}
          hidden
          width="150px"
          value={asked?.body.role ?? person.role}
          options={(Object.keys(roleNames) as Role[]).map((r) => [r, roleNames[r]] as const)}
          onChange={(role) =>
            setAsked(
              role === person.role
                ? undefined
                : { words: `make ${person.name} a ${roleNames[role]}, now ${roleNames[person.role]}`, body: { role } },
            )
          }
        />
        <Button
          {...small}
          aria-label={`name of ${person.name}`}
          onClick={() => setEdited(edited?.of === "name" ? undefined : { of: "name", value: person.name })}
        >
          name
        </Button>
        <Button
          {...small}
          aria-label={`address of ${person.name}`}
          onClick={() => setEdited(edited?.of === "email" ? undefined : { of: "email", value: person.email })}
        >
          address
        </Button>
        <Button
          {...small}
          w="120px"
          aria-label={person.active ? `close account of ${person.name}` : `open again: the account of ${person.name}`}
          onClick={() =>
            setAsked({
              words: person.active
                ? `close the account of ${person.name}: no more sign-in, all sessions end`
                : `open the account of ${person.name} again`,
              body: { active: !person.active },
            })
          }
        >
          {person.active ? "close account" : "open again"}
        </Button>
        <Button
          {...small}
          w="110px"
          aria-label={`invite again: ${person.name}`}
          visibility={mayBeInvited ? undefined : "hidden"}
          display={{ base: mayBeInvited ? undefined : "none", md: "inline-flex" }}
          disabled={again.isPending}
          onClick={() => again.mutate()}
        >
          {again.isSuccess ? "invited again" : "invite again"}
        </Button>
      </Flex>
      {asked && (
        <div className="asking" role="alertdialog" aria-label={asked.words}>
          <button
            type="button"
            className="act strong"
            disabled={change.isPending}
            onClick={() => change.mutate(asked.body)}
          >
            {asked.words}
          </button>
          <button
            type="button"
            className="act"
            autoFocus
            onClick={() => {
              change.reset();
              setAsked(undefined);
            }}
          >
            leave it as it is
          </button>
        </div>
      )}
      {edited && (
        <form
          className="asking"
          aria-label={`${edited.of === "name" ? "name" : "address"} of ${person.name}`}
          noValidate
          onSubmit={(event) => {
            event.preventDefault();
            change.mutate({ [edited.of]: edited.value });
          }}
        >
          <TextField
            label={`${edited.of === "name" ? "new name" : "e-mail address"} of ${person.name}`}
            type={edited.of === "name" ? "text" : "email"}
            width="260px"
            value={edited.value}
            onChange={(value) => setEdited({ ...edited, value })}
            error={change.error instanceof Problem ? change.error.refusalOf(`/${edited.of}`) : undefined}
          />
          <Submit
            beside
            disabled={change.isPending || edited.value.trim() === "" || edited.value === person[edited.of]}
          >
            {edited.of === "name" ? "change the name" : "change the address"}
          </Submit>
          <p className="faint">
            {edited.of === "name"
              ? "What was recorded under the name before stays theirs, and shows the name of that day."
              : "Sessions end, and links that were mailed to the address before stop working."}
          </p>
        </form>
      )}
      {!placed && (change.error ?? again.error) && <Text color="alarm">{(change.error ?? again.error)?.message}</Text>}
    </Box>
  );
}

function Invite() {
  const [name, setName] = useState("");
  const [email, setEmail] = useState("");
  const [role, setRole] = useState<Role>("technician");
  const queries = useQueryClient();
  const invite = useMutation({
    mutationFn: (confirmed: boolean) => api.invite({ name, email, role, confirmed }),
    onSuccess: async () => {
      setName("");
      setEmail("");
      await queries.invalidateQueries({ queryKey: ["people"] });
    },
  });
  const refusalOf = (pointer: string) =>
    invite.error instanceof Problem ? invite.error.refusalOf(pointer) : undefined;
  const asked = invite.error instanceof Problem && invite.error.fields.some((f) => f.question);
  const placed = refusalOf("/name") ?? refusalOf("/email") ?? refusalOf("/role");
  function submit(event: SyntheticEvent) {
    event.preventDefault();
    if (!invite.isPending) invite.mutate(false);
  }
  return (
    <form onSubmit={submit} aria-label="Invite a person" noValidate>
      <Flex gap="14px" rowGap="8px" align="flex-start" wrap="wrap" mt="12px">
        <TextField
          label="name, as the books will show it"
          width="240px"
          value={name}
          onChange={setName}
          error={refusalOf("/name")}
        />
        <TextField
          label="e-mail address"
          type="email"
          width="260px"
          value={email}
          onChange={setEmail}
          error={refusalOf("/email")}
        />
        <SelectField
          label="role"
          width="330px"
          value={role}
          options={roles}
          onChange={setRole}
          error={refusalOf("/role")}
        />
        <Submit beside disabled={invite.isPending || !name || !email}>
          invite
        </Submit>
      </Flex>
      <Box aria-live="polite" minH="24px">
        {asked && (
          <Button
            size="sm"
            minH="44px"
            px="0"
            variant="ghost"
            color="accent"
            disabled={invite.isPending}
            onClick={() => invite.mutate(true)}
          >
            yes, another person: invite
          </Button>
        )}
        {invite.isSuccess && <Text>A link is on its way.</Text>}
        {invite.error && !placed && <Text color="alarm">{invite.error.message}</Text>}
      </Box>
    </form>
  );
}

/** Lines of a page of the audit, and of a file, at a time. */
const auditPage = 100;
const auditMost = 500;

async function wholeAudit(filters: AuditQuery) {
  const found: Schemas["AuditLine"][] = [];
  for (;;) {
    const page = await api.audit({ ...filters, before: found.at(-1)?.id ?? 0, limit: auditMost });
    found.push(...page);
    if (page.length < auditMost) return found;
  }
}

function Audit() {
  const [filters, setFilters] = useState<AuditQuery>({});
  const audit = useInfiniteQuery({
    queryKey: ["audit", filters],
    queryFn: ({ signal, pageParam }) => api.audit({ ...filters, before: pageParam, limit: auditPage }, signal),
    initialPageParam: 0,
    getNextPageParam: (last) => (last.length === auditPage ? last.at(-1)?.id : undefined),
    placeholderData: (before) => before,
  });
  const change = (name: "from" | "to" | "who" | "what", value: string) =>
    setFilters((before) => {
      const others = Object.entries(before).filter(([n]) => n !== name);
      return Object.fromEntries(value ? [...others, [name, value]] : others);
    });
  const file = async (as: FileFormat) => {
    const found = await wholeAudit(filters);
    await download(
      as,
      "audit",
      ["at", "who", "what", "detail", "from address"],
      found.map((l) => [l.at, l.who, l.text, l.detail, l.address]),
    );
  };
  const lines = audit.data?.pages.flat() ?? [];
  return (
    <Box as="section" aria-label="Audit">
      <SectionHeading>Audit: sign-ins, and changes to people, register and rules</SectionHeading>
      <div className="filters no-print" style={{ paddingTop: "8px" }} role="group" aria-label="Filters of the audit">
        {(["from", "to"] as const).map((name) => (
          <DateField
            key={name}
            label={name}
            value={filters[name] ?? ""}
            placeholder="any day"
            onChange={(value) => value !== unread && change(name, value)}
          />
        ))}
        <TypedFilter label="who" value={filters.who ?? ""} onChange={(who) => change("who", who)} />
        <SelectField
          label="what was done"
          width="240px"
          value={filters.what ?? ""}
          options={[["", "anything"], ...Object.entries(auditNames)]}
          onChange={(what) => change("what", what)}
        />
        <TakeAlong what="the audit" file={file} />
      </div>
      {audit.data && lines.length === 0 && <Text py="12px">No line matches. Remove a filter.</Text>}
      {audit.isPending && <Waiting what="the audit" />}
      {audit.error && <Failed error={audit.error} again={() => void audit.refetch()} />}
      {lines.length > 0 && (
        <Table.ScrollArea tabIndex={0} role="region" aria-label="Audit lines">
          <Table.Root size="sm" aria-label="Audit" css={{ "& td": { verticalAlign: "top" } }}>
            <Table.Header>
              <Table.Row bg="page">
                {["when", "who", "did what", "from"].map((h) => (
                  <Table.ColumnHeader key={h} color="faint" fontSize="13px" px="6px" borderColor="ink">
                    {h}
                  </Table.ColumnHeader>
                ))}
              </Table.Row>
            </Table.Header>
            <Table.Body>
              {lines.map((l) => (
                <Table.Row key={l.id} bg="page">
                  <Table.Cell className="figures" px="6px" whiteSpace="nowrap" borderColor="rule">
                    {dayTime(l.at)}
                  </Table.Cell>
                  <Table.Cell px="6px" borderColor="rule" fontWeight="700" whiteSpace="nowrap">
                    {l.who}
                  </Table.Cell>
                  <Table.Cell px="6px" borderColor="rule" minW="240px" whiteSpace="normal" overflowWrap="anywhere">
                    {[l.text, l.detail].filter(Boolean).join(": ")}
                  </Table.Cell>
                  <Table.Cell className="figures" px="6px" borderColor="rule" color="faint">
                    {l.address}
                  </Table.Cell>
                </Table.Row>
              ))}
            </Table.Body>
          </Table.Root>
        </Table.ScrollArea>
      )}
      {audit.hasNextPage && (
        <Button variant="ghost" size="sm" minH="44px" color="accent" onClick={() => void audit.fetchNextPage()}>
          show older lines
        </Button>
      )}
    </Box>
  );
}
