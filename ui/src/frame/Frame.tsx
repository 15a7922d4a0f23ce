import { type ReactNode, Suspense, useEffect, useMemo, useState } from "react";
import { lazyWithChakra } from "../lazily";
import { Link as RouterLink, useNavigate } from "react-router";
import { JumpField } from "./JumpField";
import { type Key, moveLine, useKeys } from "./keys";
import { PersonMenu } from "../people/PersonMenu";
import { mayRegister, usePerson } from "../people/session";
import { UnitCode } from "../marks/UnitCode";
import { UnsentLines } from "./UnsentLines";
import { useScheme } from "./scheme";

const KeysHelp = lazyWithChakra(() => import("./KeysHelp").then((m) => m.KeysHelp));

interface Props {
  /** Where am I: the running head's first word. */
  title: string;
  /** What day it is, and what the night brings. */
  head: ReactNode;
  /** The account that lies open, which has an index tab of its own. */
  open?: string;
  /** Which tab this page belongs to. */
  here?: "morning" | "horizon" | "round" | "job" | "plan" | "entries" | "bench" | "register";
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
      { key: "d", does: "Round", run: () => void navigate("/round") },
      { key: "s", does: "Job", run: () => void navigate("/job") },
      { key: "p", does: "Plan", run: () => void navigate("/plan") },
      { key: "t", does: "Entries", run: () => void navigate("/entries") },
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
    <div className="book">
      <a href="#page" className="to-page">
        to the page
      </a>
      <header className="running-head">
        <h1>{title}</h1>
        <div className="what cut">{head}</div>
        <div className="gap" />
        <div className="no-print">
          <JumpField />
        </div>
        <button
          type="button"
          className="act small no-print"
          onClick={turnScheme}
          aria-label={`Use ${scheme === "light" ? "dark" : "light"} colours`}
        >
          {scheme === "light" ? "dark" : "light"}
        </button>
        <PersonMenu />
        <button
          type="button"
          className="act small help no-print"
          onClick={() => setHelp(true)}
          aria-label="Keys of this page"
        >
          ?
        </button>
      </header>
      <div className="sheet">
        <main id="page" tabIndex={-1}>
          <UnsentLines />
          {children}
        </main>
        <nav className="no-print" aria-label="Index">
          <IndexTab to="/" letter="m" current={open === undefined && here === "morning"}>
            Morning
          </IndexTab>
          <IndexTab to="/horizon" letter="h" current={here === "horizon"}>
            Horizon
          </IndexTab>
          <IndexTab to="/round" letter="d" current={here === "round"}>
            Round
          </IndexTab>
          <IndexTab to="/job" letter="s" current={here === "job"}>
            Job
          </IndexTab>
          <IndexTab to="/plan" letter="p" current={here === "plan"}>
            Plan
          </IndexTab>
          <IndexTab to="/entries" letter="t" current={here === "entries"}>
            Entries
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
            <IndexTab to={`/units/${encodeURIComponent(open)}`} current opened>
              <UnitCode code={open} />
            </IndexTab>
          )}
        </nav>
      </div>
      {help && (
        <Suspense>
          <KeysHelp keys={all} onClose={() => setHelp(false)} />
        </Suspense>
      )}
    </div>
  );
}

function IndexTab(p: { to: string; letter?: string; current?: boolean; opened?: boolean; children: ReactNode }) {
  return (
    <RouterLink className={p.opened ? "tab opened" : "tab"} to={p.to} aria-current={p.current ? "page" : undefined}>
      <span className="cut">{p.children}</span>
      {p.letter && (
        <span className="letter" aria-hidden="true">
          {p.letter}
        </span>
      )}
    </RouterLink>
  );
}
