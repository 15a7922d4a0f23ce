import type { QueryClient } from "@tanstack/react-query";
import { createContext, useContext } from "react";
import type { Role, Schemas, Session } from "../api/client";

/** Who is signed in; every page below the gate has somebody. */
export const PersonContext = createContext<Schemas["SignedIn"] | undefined>(undefined);

export function usePerson(): Schemas["SignedIn"] {
  const person = useContext(PersonContext);
  if (!person) throw new Error("this page is shown to somebody who is signed in");
  return person;
}

/** Who has something to do in the register: people are the coordinator's, the audit is a reader's, too. */
export const mayRegister = (role: Role) => role === "coordinator" || role === "reader";

/** Begins with a session: nothing that somebody else was shown stays, and the gate hears of it. */
export function enter(queries: QueryClient, session: Session) {
  queries.removeQueries({ predicate: (q) => q.queryKey[0] !== "session" });
  queries.setQueryData(["session"], session);
}
