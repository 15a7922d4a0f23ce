import { Link as RouterLink } from "react-router";
import { usePerson } from "../people/session";
import { type RecordKind, kinds, recordKinds } from "./records";

/** The parts of the register. */
export function RegisterIndex({ here }: { here?: RecordKind | "import" }) {
  const person = usePerson();
  return (
    <div role="navigation" className="register-index no-print" aria-label="Register">
      {recordKinds.map((of) => (
        <RouterLink key={of} to={`/register/${of}`} aria-current={of === here ? "page" : undefined}>
          {kinds[of].title}
        </RouterLink>
      ))}
      {person.role === "coordinator" && (
        <RouterLink to="/import" aria-current={here === "import" ? "page" : undefined}>
          Import
        </RouterLink>
      )}
      {(person.role === "coordinator" || person.role === "reader") && (
        <RouterLink to="/register" aria-current={here === undefined ? "page" : undefined}>
          {person.role === "coordinator" ? "Service plans, cold, people, audit" : "Audit"}
        </RouterLink>
      )}
    </div>
  );
}
