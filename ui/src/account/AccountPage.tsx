import { Box, Button, Flex, Link, Text } from "@chakra-ui/react";
import { useQuery } from "@tanstack/react-query";
import { useMemo } from "react";
import { Link as RouterLink, useParams, useSearchParams } from "react-router";
import { type Account, type EntryKind, type Schemas, api } from "../api/client";
import { Cautions } from "../frame/Cautions";
import { Frame } from "../frame/Frame";
import type { Key } from "../frame/keys";
import { Failed, Waiting } from "../frame/State";
import { Vial } from "../marks/Vial";
import { celsius, figure, longDay, symbols } from "../words/figures";
import { kindNames } from "../words/lines";
import { verdictWords } from "../words/reasons";
import { Clocks } from "./Clocks";
import { EntryForm, entryKeys } from "./EntryForm";
import { LedgerPage, inside } from "./LedgerPage";

/** One unit's account: the ledger page, its clocks, and a line to write. */
export function AccountPage() {
  const { code = "" } = useParams();
  const [query, setQuery] = useSearchParams();
  const account = useQuery({ queryKey: ["account", code], queryFn: ({ signal }) => api.account(code, signal) });
  const asked = query.get("write");
  const writing = entryKeys.find(([k]) => k === asked)?.[0];
  const keys = useMemo<Key[]>(() => {
    const write = (kind: EntryKind) => setQuery({ write: kind }, { replace: true });
    return [
      { key: "n", does: "write an entry", run: () => write("freeze_test") },
      ...entryKeys.map(([kind, key]) => ({ key, does: kindNames[kind].toLowerCase(), run: () => write(kind) })),
    ];
  }, [setQuery]);
  const data = account.data;
  return (
    <Frame
      title={data?.unit.code ?? code}
      head={data && `account · ${longDay(data.today)}`}
      open={data?.unit.code ?? code}
      keys={keys}
    >
      {account.isPending && <Waiting what={`the account of ${code}`} />}
      {account.error && !data && (
        <Failed error={account.error} again={() => void account.refetch()}>
          <Text color="faint">Jump to a unit above by part of its code or name.</Text>
        </Failed>
      )}
      {data && (
        <Flex gap="30px" direction={{ base: "column", lg: "row" }} align="flex-start">
          <Box flex="1" minW="0" w="100%">
            <Opening account={data} />
            {writing ? (
              <EntryForm
                key={data.unit.code}
                account={data}
                kind={writing}
                onKind={(kind) => setQuery({ write: kind }, { replace: true })}
                onClose={() => setQuery({}, { replace: true })}
              />
            ) : (
              <Flex gap="6px" wrap="wrap" mt="6px">
                {entryKeys.map(([kind, letter]) => (
                  <Button
                    key={kind}
                    variant="ghost"
                    size="sm"
                    minH="44px"
                    px="10px"
                    ml={letter === "f" ? "-10px" : "0"}
                    color="accent"
                    fontWeight="700"
                    onClick={() => setQuery({ write: kind }, { replace: true })}
                  >
                    {kindNames[kind].toLowerCase()}{" "}
                    <Text as="span" color="faint" fontWeight="400" aria-hidden="true">
                      {letter}
                    </Text>
                  </Button>
                ))}
              </Flex>
            )}
            <Box mt="10px">
              <LedgerPage account={data} />
            </Box>
          </Box>
          <Box w={{ base: "100%", lg: "350px" }} flexShrink={0}>
            <Clocks account={data} />
            <BenchLinks account={data} />
            <PlanOf account={data} />
            <Cautions kind={data.unit.kind} />
          </Box>
        </Flex>
      )}
    </Frame>
  );
}

function Opening({ account }: { account: Account }) {
  const governing = account.outlook.clocks[0];
  return (
    <Flex gap="12px" align="center" data-testid="opening">
      <Vial verdict={account.outlook.verdict} left={governing?.left} />
      <Box>
        <Text>
          <b>{verdictWords[account.outlook.verdict]}</b> · protects to{" "}
          <b data-testid="protects">{celsius(account.protectsTo)}</b>
          {account.mixed && " · EG and PG are mixed"}
        </Text>
        <Text color="faint">{inside(account)}</Text>
      </Box>
    </Flex>
  );
}

/** The Bench, opened with this unit's figures. */
function BenchLinks({ account }: { account: Account }) {
  const { balance, base, protectsTo } = account;
  if (protectsTo === undefined || !base) return null;
  const told = new URLSearchParams({
    unit: account.unit.code,
    base,
    strength: `${protectsTo.toFixed(1)} C`,
    capacity: `${account.capacity} L`,
    night: `${Math.min(...account.cold)} C`,
    margin: String(account.plan.freezeMargin),
    // Nobody has written down what one drain reaches, nor the cap's rating: they must be told.
    drainable: "",
    rated: "",
    units: "metric",
  });
  if (balance.litres !== undefined) told.set("volume", `${Math.min(balance.litres, account.capacity).toFixed(2)} L`);
  return (
    <Text mt="14px">
      On the Bench:{" "}
      {(
        [
          ["protects", "what it protects to"],
          ["target", "bring it to target"],
          ["boil", "will it boil?"],
        ] as const
      ).map(([q, words], i) => (
        <span key={q}>
          {i > 0 && " · "}
          <Link asChild color="accent" fontWeight="700">
            <RouterLink to={`/bench?q=${q}&${told}`}>{words}</RouterLink>
          </Link>
        </span>
      ))}
    </Text>
  );
}

function PlanOf({ account }: { account: Account }) {
  const { plan } = account;
  return (
    <Text mt="14px" fontSize="14px" color="faint">
      Plan “{plan.name}”: first {allowed(plan.first)}, later {allowed(plan.later)}; {figure(plan.freezeMargin)} K to
      spare on the coldest night. The maker’s manual overrides it.
    </Text>
  );
}

function allowed(i: Schemas["Interval"]): string {
  const parts = [
    i.months !== undefined ? `${figure(i.months)} months` : "",
    i.km !== undefined ? `${figure(i.km)} ${symbols.km}` : "",
    i.hours !== undefined ? `${figure(i.hours)} ${symbols.h}` : "",
  ].filter(Boolean);
  return parts.length > 0 ? parts.join(" or ") : "without limit";
}
