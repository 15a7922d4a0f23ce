import { createContext, useContext } from "react";
import type { Role, Schemas } from "../api/client";

/** Who is signed in; every page below the gate has somebody. */
export const PersonContext = createContext<Schemas["SignedIn"] | undefined>(undefined);

export function usePerson(): Schemas["SignedIn"] {
  const person = useContext(PersonContext);
  if (!person) throw new Error("this page is shown to somebody who is signed in");
  return person;
}

/** Who has something to do in the register: people are the coordinator's, the audit is a reader's, too. */
export const mayRegister = (role: Role) => role === "coordinator" || role === "reader";
