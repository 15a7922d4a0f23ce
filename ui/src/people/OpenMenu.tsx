import { Menu, Portal, Text } from "@chakra-ui/react";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { Suspense, lazy, useContext, useState } from "react";
import { Problem, api } from "../api/client";
import { useJobLines } from "../frame/jobEvents";
import { useUnsent } from "../frame/outbox";
import { unrecordedOf } from "../round/taken";
import { roleNames } from "../words/names";
import { forgetDevice } from "./leaving";
import { oweSignOut } from "./owed";
import { PersonButton } from "./PersonMenu";
import { LeaveContext, forget, usePerson } from "./session";

const ReadingDialog = lazy(() => import("./ReadingDialog").then((m) => ({ default: m.ReadingDialog })));

/** The menu of the person who is signed in, open from the start. */
export function OpenMenu() {
  const person = usePerson();
  const leave = useContext(LeaveContext);
  const queries = useQueryClient();
  const [settings, setSettings] = useState(false);
  const entries = useUnsent(person.email);
  const steps = useJobLines(person.email);
  const unsent = entries.length + steps.length;
  const [leaving, setLeaving] = useState<"here" | "everywhere">();
  const drafts = useQuery({
    queryKey: ["unrecorded-of", person.email],
    queryFn: () => unrecordedOf(person.email),
    networkMode: "always",
    staleTime: 0,
    gcTime: 0,
  });
  const answered = drafts.data ?? [];
  const asks = unsent > 0 || answered.length > 0;
  const signOut = useMutation({
    mutationFn: async (everywhere: boolean) => {
      try {
        await api.signOut(everywhere);
      } catch (error) {
        if (!(error instanceof Problem) || error.status !== 0) throw error;
        // Without a connection this device forgets all the same; the server ends the session when it hears of it.
        oweSignOut(everywhere ? "everywhere" : "here");
      }
    },
    networkMode: "always",
    onSuccess: () => {
      void forgetDevice(person.email).catch(() => undefined);
      leave();
      forget(queries);
    },
  });
  return (
    <>
      <Menu.Root defaultOpen>
        <Menu.Trigger asChild>
          <PersonButton />
        </Menu.Trigger>
        <Portal>
          <Menu.Positioner>
            <Menu.Content borderRadius="0" bg="page" borderWidth="1px" borderColor="ink">
              <Text px="10px" py="6px" color="faint" fontSize="14px">
                {person.email}, {roleNames[person.role]}
              </Text>
              <Menu.Item value="reading" minH="44px" onClick={() => setSettings(true)}>
                units and dates
              </Menu.Item>
              <Menu.Item value="out" minH="44px" onClick={() => (asks ? setLeaving("here") : signOut.mutate(false))}>
                sign out
              </Menu.Item>
              <Menu.Item
                value="everywhere"
                minH="44px"
                onClick={() => (asks ? setLeaving("everywhere") : signOut.mutate(true))}
              >
                sign out everywhere
              </Menu.Item>
            </Menu.Content>
          </Menu.Positioner>
        </Portal>
      </Menu.Root>
      {leaving && (
        <div className="leaving" role="alertdialog" aria-label="Sign out">
          {unsent > 0 && (
            <p>
              <b>
                {unsent} {unsent === 1 ? "line is" : "lines are"} not sent.
              </b>{" "}
              They stay on this device, encrypted, and are sent when you sign in here again.
            </p>
          )}
          {answered.length > 0 && (
            <p>
              <b>Answers at {answered.join(", ")} are not recorded.</b> The walk leaves this device when you sign out,
              and they with it.
            </p>
          )}
          <button type="button" className="act strong" autoFocus onClick={() => setLeaving(undefined)}>
            stay signed in
          </button>
          <button
            type="button"
            className="act"
            onClick={() => {
              setLeaving(undefined);
              signOut.mutate(leaving === "everywhere");
            }}
          >
            sign out all the same
          </button>
        </div>
      )}
      {signOut.error && (
        <p className="leaving alarm" role="alert">
          Not signed out: {signOut.error.message}
        </p>
      )}
      {settings && (
        <Suspense>
          <ReadingDialog shown onClose={() => setSettings(false)} />
        </Suspense>
      )}
    </>
  );
}
