import { Box, Collapsible, Flex, Text } from "@chakra-ui/react";
import type { Account, Clock } from "../api/client";
import { Vial } from "../marks/Vial";
import { daysAway, dueText } from "../words/figures";
import { clockNames, verdictWords } from "../words/names";

/** The clocks of a unit, the governing one first, each with its "why?". */
export function Clocks({ account }: { account: Account }) {
  return (
    <Box as="section" aria-label="What runs out first">
      <Text as="h2" color="faint" fontSize="13px" borderBottomWidth="1px" borderColor="ink" pb="3px">
        what runs out first
      </Text>
      {account.status.clocks.map((c) => (
        <ClockLine key={c.kind} clock={c} account={account} />
      ))}
    </Box>
  );
}

function ClockLine({ clock, account }: { clock: Clock; account: Account }) {
  return (
    <Collapsible.Root>
      <Box borderBottomWidth="1px" borderColor="rule" py="8px" data-clock={clock.kind}>
        <Flex gap="10px" align="flex-start">
          <Vial verdict={clock.verdict} left={clock.remaining} />
          <Box flex="1" minW="0">
            <Text>
              <b>{clockNames[clock.kind]}</b> {clock.reason.text}
            </Text>
            <Flex gap="10px" align="center" color="faint" fontSize="13px">
              <span>{verdictWords[clock.verdict]}</span>
              <Collapsible.Trigger asChild>
                <Box asChild color="accent" fontWeight="700" minH="28px" px="4px" cursor="pointer">
                  <button type="button" className="no-print" aria-label={`why? ${clockNames[clock.kind]}`}>
                    why?
                  </button>
                </Box>
              </Collapsible.Trigger>
            </Flex>
          </Box>
          <Box textAlign="right" className="figures" whiteSpace="nowrap" data-due={clock.due ?? ""}>
            {dueText(clock, account.today)}
            {clock.days !== undefined && clock.days !== 0 && <Box color="faint">{daysAway(clock.days)}</Box>}
          </Box>
        </Flex>
        <Collapsible.Content>
          <Box as="ul" pl="44px" pt="4px" fontSize="14px" listStyleType="disc">
            {(clock.reason.rule ?? []).map((r) => (
              <li key={r}>{r}</li>
            ))}
          </Box>
        </Collapsible.Content>
      </Box>
    </Collapsible.Root>
  );
}
