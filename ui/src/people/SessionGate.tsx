import { useQuery, useQueryClient } from "@tanstack/react-query";
import { type ReactNode, useEffect } from "react";
import { api, onSignedOut } from "../api/client";
import { Failed, Waiting } from "../frame/State";
import { SignInPage } from "./SignInPage";
import { PersonContext } from "./session";

/** Shows its pages to whoever is signed in, and the sign-in to all others; the address stays as it is. */
export function SessionGate({ children }: { children: ReactNode }) {
  const queries = useQueryClient();
  const session = useQuery({
    queryKey: ["session"],
    queryFn: ({ signal }) => api.session(signal),
    staleTime: 60_000,
  });
  useEffect(() => {
    // An answer that says nobody is signed in brings the sign-in; what was typed stays in the forms' own addresses.
    onSignedOut(() => void queries.invalidateQueries({ queryKey: ["session"] }));
  }, [queries]);
  if (session.isPending) return <Waiting what="the books" />;
  if (session.error) return <Failed error={session.error} again={() => void session.refetch()} />;
  if (!session.data.person) return <SignInPage demo={session.data.demo} />;
  return <PersonContext value={session.data.person}>{children}</PersonContext>;
}
