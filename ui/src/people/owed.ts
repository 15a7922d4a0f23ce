import { type Session, api } from "../api/client";

/** A sign-out that the server has not heard of: "here", or "everywhere". */
const owedKey = "diligent.signing-out";

export type Leaving = "here" | "everywhere";

/** Signs out on this device at once; the server hears of it when there is a connection, before anything else is asked. */
export function oweSignOut(leaving: Leaving) {
  localStorage.setItem(owedKey, leaving);
}

export const signOutOwed = (): Leaving | undefined => {
  const owed = localStorage.getItem(owedKey);
  return owed === "here" || owed === "everywhere" ? owed : undefined;
};

/** Ends the session that was left without a connection; the error when there is still none. */
async function paySignOut() {
  const owed = signOutOwed();
  if (!owed) return;
  await api.signOut(owed === "everywhere");
  localStorage.removeItem(owedKey);
}

/** What a sign-in takes the place of. */
export const dropOwedSignOut = () => localStorage.removeItem(owedKey);

/** Who is signed in. A sign-out without a connection comes first: its session must not open the books again. */
export const sessionQuery = {
  queryKey: ["session"] as const,
  queryFn: async ({ signal }: { signal: AbortSignal }): Promise<Session> => {
    await paySignOut();
    return api.session(signal);
  },
  staleTime: 60_000,
};
