import { useQuery, useQueryClient } from "@tanstack/react-query";
import { type ReactNode, Suspense, useCallback, useEffect, useState } from "react";
import { lazyWithChakra } from "../lazily";
import { type Schemas, onSignedOut } from "../api/client";
import { Failed, Waiting } from "../frame/State";
import { setReading } from "../words/figures";
import { openSealed } from "../frame/seal";
import { LeaveContext, PersonContext, forgetPerson, rememberPerson, rememberedPerson } from "./session";
import { Problem } from "../api/client";
import { sessionQuery, signOutOwed } from "./owed";

const SignInPage = lazyWithChakra(() => import("./SignInPage").then((m) => m.SignInPage));
const SignInAgain = lazyWithChakra(() => import("./SignInAgain").then((m) => m.SignInAgain));

type Person = Schemas["SignedIn"];

/**
 * Shows its pages to the person who is signed in, and the sign-in to all others; the address stays as it is. A session that ends
 * by itself leaves the page standing under the sign-in, so that nothing typed is lost.
 */
export function SessionGate({ children }: { children: ReactNode }) {
  const queries = useQueryClient();
  const [last, setLast] = useState<Person>();
  const leave = useCallback(() => {
    setLast(undefined);
    forgetPerson();
  }, []);
  const session = useQuery(sessionQuery);
  useEffect(() => {
    // An answer says that no one is signed in: ask who is.
    onSignedOut(() => void queries.invalidateQueries({ queryKey: ["session"] }));
  }, [queries]);
  const person = session.data?.person;
  // Kept while rendering, as React has it for state that follows from what came in.
  if (person && JSON.stringify(person) !== JSON.stringify(last)) setLast(person);
  useEffect(() => {
    if (person) rememberPerson(person);
  }, [person]);
  // What this person left sealed on this device is opened; what another left is sealed.
  const email = person?.email;
  useQuery({
    queryKey: ["sealed", email],
    queryFn: async () => {
      const opened = await openSealed(email ?? "");
      if (opened) await queries.invalidateQueries({ queryKey: ["open-walk", email] });
      return opened;
    },
    enabled: email !== undefined,
    staleTime: Infinity,
    retry: 3,
  });
  // Without a signal the person who was signed in on this device goes on with what lies on it.
  const unreached = session.error instanceof Problem && session.error.status === 0;
  const remembered = unreached && !session.data ? rememberedPerson() : undefined;
  // Once the server answers that no one is signed in, the page stays under the sign-in.
  if (remembered && last === undefined) setLast(remembered);
  if (session.isPending) return <Waiting what="the books" />;
  if (unreached && signOutOwed())
    return (
      <p className="wait" role="status">
        Signed out on this device. The server ends the session as soon as there is a connection.{" "}
        <button type="button" className="act" onClick={() => void session.refetch()}>
          try now
        </button>
      </p>
    );
  if (!session.data && !remembered && !last)
    return <Failed error={session.error} again={() => void session.refetch()} />;
  const shown = person ?? last ?? remembered;
  if (shown) setReading(shown.reading);
  if (!shown)
    return (
      <Suspense fallback={<Waiting what="the sign-in" />}>
        <SignInPage demo={session.data?.demo ?? []} />
      </Suspense>
    );
  return (
    <LeaveContext value={leave}>
      <PersonContext value={shown}>
        <div key={shown.email + JSON.stringify(shown.reading)}>{children}</div>
      </PersonContext>
      {!person && session.data && !unreached && (
        <Suspense>
          <SignInAgain name={shown.name} email={shown.email} />
        </Suspense>
      )}
    </LeaveContext>
  );
}
