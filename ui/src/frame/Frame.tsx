import { Box, Button, Flex, Link, Text } from "@chakra-ui/react";
import { type ReactNode, Suspense, lazy, useEffect, useMemo, useState } from "react";
import { Link as RouterLink, useNavigate } from "react-router";
import { JumpField } from "./JumpField";
import { type Key, moveLine, useKeys } from "./keys";
import { PersonMenu } from "../people/PersonMenu";
import { mayRegister, usePerson } from "../people/session";
import { useScheme } from "./scheme";

const KeysHelp = lazy(() => import("./KeysHelp").then((m) => ({ default: m.KeysHelp })));

interface Props {
  /** Where am I: the running head's first word. */
  title: string;
  /** What day it is, and what the night brings. */
  head: ReactNode;
  /** The account that lies open, which has an index tab of its own. */
  open?: string;
  /** Which tab this page belongs to. */
  here?: "morning" | "horizon" | "plan" | "bench" | "register";
  keys?: readonly Key[];
  /** Only the keys of the page, while it asks for a letter. */
  only?: boolean;
  children: ReactNode;
}

const none: readonly Key[] = [];

/** The bound book: running head above, index tabs down the right-hand edge, the rest is page. */
export function Frame({ title, head, open, here = "morning", keys = none, only = false, children }: Props) {
  const navigate = useNavigate();
  const [scheme, turnScheme] = useScheme();
  const [help, setHelp] = useState(false);
  useEffect(() => {
    document.title = `${title} · Diligent Ledger`;
  }, [title]);
  const person = usePerson();
  const all = useMemo<Key[]>(() => {
    if (only) return [...keys];
    return [
      { key: "m", does: "Morning", run: () => void navigate("/") },
      { key: "h", does: "Horizon", run: () => void navigate("/horizon") },
      { key: "p", does: "Plan", run: () => void navigate("/plan") },
      { key: "b", does: "Bench", run: () => void navigate("/bench") },
      ...(mayRegister(person.role) ? [{ key: "g", does: "Register", run: () => void navigate("/register") }] : []),
      { key: "j", does: "next line", run: () => moveLine(1) },
      { key: "k", does: "line before", run: () => moveLine(-1) },
      ...keys,
      { key: "?", does: "the keys of this page", run: () => setHelp(true) },
    ];
  }, [keys, only, navigate, person.role]);
  useKeys(all);
  return (
    <Box minH="100vh" pb="60px">
      <Link href="#page" position="absolute" left="-999px" _focus={{ left: "8px", top: "8px", bg: "page", zIndex: 2 }}>
        to the page
      </Link>
      <Flex
        as="header"
        className="running-head"
        align="center"
        gap={{ base: "8px", md: "18px" }}
        h="48px"
        px={{ base: "14px", md: "24px" }}
        borderBottomWidth="1px"
        borderColor="ink"
      >
        <Text as="h1" fontSize="18px" fontWeight="700" whiteSpace="nowrap">
          {title}
        </Text>
        <Text color="faint" flex="1" lineClamp={1} hideBelow="md">
          {head}
        </Text>
        <Box flex="1" hideFrom="md" />
        <Box className="no-print">
          <JumpField />
        </Box>
        <Button
          variant="ghost"
          size="xs"
          color="faint"
          className="no-print"
          px={{ base: "4px", md: "8px" }}
          onClick={turnScheme}
          aria-label={`Use ${scheme === "light" ? "dark" : "light"} colours`}
        >
          {scheme === "light" ? "dark" : "light"}
        </Button>
        <PersonMenu />
        <Button
          variant="ghost"
          size="xs"
          color="faint"
          className="no-print"
          hideBelow="md"
          onClick={() => setHelp(true)}
          aria-label="Keys of this page"
        >
          ?
        </Button>
      </Flex>
      <Flex direction={{ base: "column-reverse", md: "row" }}>
        <Box as="main" id="page" flex="1" minW="0" px={{ base: "14px", md: "24px" }} pt="14px">
          {children}
        </Box>
        <Flex
          as="nav"
          className="no-print"
          aria-label="Index"
          direction={{ base: "row", md: "column" }}
          gap={{ base: "4px", md: "6px" }}
          w={{ base: "auto", md: "108px" }}
          pt={{ base: "6px", md: "16px" }}
          px={{ base: "8px", md: "0" }}
          flexShrink={0}
          minH={{ md: "calc(100vh - 48px)" }}
          borderLeftWidth={{ md: "1px" }}
          borderColor="ink"
        >
          <IndexTab to="/" letter="m" current={open === undefined && here === "morning"}>
            Morning
          </IndexTab>
          <IndexTab to="/horizon" letter="h" current={here === "horizon"}>
            Horizon
          </IndexTab>
          <IndexTab to="/plan" letter="p" current={here === "plan"}>
            Plan
          </IndexTab>
          <IndexTab to="/bench" letter="b" current={here === "bench"}>
            Bench
          </IndexTab>
          {mayRegister(person.role) && (
            <IndexTab to="/register" letter="g" current={here === "register"}>
              Register
            </IndexTab>
          )}
          {open !== undefined && (
            <IndexTab to={`/units/${encodeURIComponent(open)}`} current>
              {open}
            </IndexTab>
          )}
        </Flex>
      </Flex>
      {help && (
        <Suspense>
          <KeysHelp keys={all} onClose={() => setHelp(false)} />
        </Suspense>
      )}
    </Box>
  );
}

function IndexTab(p: { to: string; letter?: string; current?: boolean; children: ReactNode }) {
  return (
    <Link
      asChild
      display="flex"
      justifyContent="space-between"
      alignItems="center"
      gap="4px"
      minH="44px"
      minW="0"
      px={{ base: "6px", md: "10px" }}
      ml={{ md: p.current ? "-1px" : "8px" }}
      bg={p.current ? "page" : "tab"}
      color="ink"
      fontWeight={p.current ? "700" : "400"}
      borderWidth="1px"
      borderColor={p.current ? "ink" : "rule"}
      borderRightWidth={{ md: "0" }}
      borderLeftWidth={{ md: p.current ? "5px" : "1px" }}
      borderLeftColor={{ md: p.current ? "accent" : "rule" }}
      borderLeftRadius="6px"
      overflow="hidden"
    >
      <RouterLink to={p.to} aria-current={p.current ? "page" : undefined}>
        <Text as="span" truncate fontSize={{ base: "12.5px", md: "14px" }}>
          {p.children}
        </Text>
        {p.letter && (
          <Text as="span" color="faint" fontWeight="400" hideBelow="md" aria-hidden="true">
            {p.letter}
          </Text>
        )}
      </RouterLink>
    </Link>
  );
}
