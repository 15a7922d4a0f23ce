import type { QueryClient } from "@tanstack/react-query";
import { createContext, useContext } from "react";
import type { Role, Schemas, Session } from "../api/client";

/** Who is signed in; every page below the gate has a person. */
export const PersonContext = createContext<Schemas["SignedIn"] | undefined>(undefined);

export function usePerson(): Schemas["SignedIn"] {
  const person = useContext(PersonContext);
  if (!person) throw new Error("this page is shown to somebody who is signed in");
  return person;
}

/** Closes the books on purpose, so that nothing of them stays on the page. */
export const LeaveContext = createContext<() => void>(() => {});

/** Who has something to do in the register: people are the coordinator's, the audit is a reader's, too. */
export const mayRegister = (role: Role) => role === "coordinator" || role === "reader";

/** Begins with a session; unless it is the same person again, nothing that was shown before stays. */
export function enter(queries: QueryClient, session: Session, again = "") {
  queries.setQueryData(["session"], session);
  const others = { predicate: (q: { queryKey: readonly unknown[] }) => q.queryKey[0] !== "session" };
  if (session.person?.email === again) void queries.invalidateQueries(others);
  else queries.removeQueries(others);
}

/** Ends with a session: no one is signed in, and nothing that was shown stays. */
export function forget(queries: QueryClient) {
  queries.setQueryData<Session>(["session"], (s) => ({ demo: s?.demo ?? [] }));
  queries.removeQueries({ predicate: (q) => q.queryKey[0] !== "session" });
}

const rememberedKey = "diligent.person";

/** Keeps who is signed in on this device, for when there is no signal; signing out forgets it. */
export function rememberPerson(person: Schemas["SignedIn"]) {
  try {
    localStorage.setItem(rememberedKey, JSON.stringify(person));
  } catch {
    // No room: without a signal the device asks for the sign-in.
  }
}

export function rememberedPerson(): Schemas["SignedIn"] | undefined {
  try {
    const kept = JSON.parse(localStorage.getItem(rememberedKey) ?? "null") as Schemas["SignedIn"] | null;
    return typeof kept?.email === "string" ? kept : undefined;
  } catch {
    return undefined;
  }
}

export const forgetPerson = () => localStorage.removeItem(rememberedKey);
