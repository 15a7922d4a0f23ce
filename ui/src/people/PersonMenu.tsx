import { Button, Menu, Portal, Text } from "@chakra-ui/react";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useContext, useState } from "react";
import { api } from "../api/client";
import { roleNames } from "../words/names";
import { ReadingDialog } from "./ReadingDialog";
import { LeaveContext, forget, usePerson } from "./session";

/** Who is signed in, and the way out. */
export function PersonMenu() {
  const person = usePerson();
  const leave = useContext(LeaveContext);
  const queries = useQueryClient();
  const signOut = useMutation({
    mutationFn: (everywhere: boolean) => api.signOut(everywhere),
    onSuccess: () => {
      leave();
      forget(queries);
    },
  });
  const [settings, setSettings] = useState(false);
  return (
    <>
      <Menu.Root>
        <Menu.Trigger asChild>
          <Button
            variant="ghost"
            size="xs"
            px={{ base: "4px", md: "8px" }}
            className="no-print"
            aria-label={`signed in as ${person.name}`}
          >
            <Text as="span" truncate maxW={{ base: "64px", md: "160px" }}>
              {person.name}
            </Text>
          </Button>
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
              <Menu.Item value="out" minH="44px" onClick={() => signOut.mutate(false)}>
                sign out
              </Menu.Item>
              <Menu.Item value="everywhere" minH="44px" onClick={() => signOut.mutate(true)}>
                sign out everywhere
              </Menu.Item>
            </Menu.Content>
          </Menu.Positioner>
        </Portal>
      </Menu.Root>
      {settings && <ReadingDialog shown onClose={() => setSettings(false)} />}
    </>
  );
}
