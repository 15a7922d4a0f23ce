import { Button, Dialog, Flex, Portal, Text } from "@chakra-ui/react";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { type SyntheticEvent, useState } from "react";
import { SelectField } from "../account/fields";
import { api } from "../api/client";
import { Submit } from "../frame/Submit";
import type { ReadingSettings } from "../words/figures";
import { usePerson } from "./session";

type Choices = { [K in keyof Required<ReadingSettings>]: readonly (readonly [Required<ReadingSettings>[K], string])[] };

const choices: Choices = {
  temperature: [
    ["degC", "°C"],
    ["degF", "°F"],
  ],
  volume: [
    ["L", "L"],
    ["qt_us", "US qt"],
    ["qt_imp", "imp qt"],
  ],
  pressure: [
    ["kPa", "kPa"],
    ["psi", "psi"],
    ["bar", "bar"],
  ],
  distance: [
    ["km", "km"],
    ["mi", "mi"],
  ],
  dates: [
    ["dmy", "26 Nov 2026"],
    ["ymd", "2026-11-26"],
    ["mdy", "11/26/2026"],
  ],
  numbers: [
    ["either", "ask if unclear"],
    ["point", "12,500.5"],
    ["comma", "12.500,5"],
  ],
};

/** The units and the dates in which a person reads every screen. Entries keep the unit they were read in. */
export function ReadingDialog({ shown, onClose }: { shown: boolean; onClose: () => void }) {
  const person = usePerson();
  const queries = useQueryClient();
  const [draft, setDraft] = useState(person.reading);
  const save = useMutation({
    mutationFn: () => api.changeReading(draft),
    onSuccess: async (session) => {
      onClose();
      queries.setQueryData(["session"], session);
      await queries.invalidateQueries({ predicate: (q) => q.queryKey[0] !== "session" });
    },
  });
  function submit(event: SyntheticEvent) {
    event.preventDefault();
    if (!save.isPending) save.mutate();
  }
  const field = (name: keyof ReadingSettings) => (
    <SelectField
      label={name === "numbers" ? "numbers typed" : name}
      width="160px"
      value={draft[name] ?? "either"}
      options={choices[name]}
      onChange={(value) => setDraft({ ...draft, [name]: value })}
    />
  );
  return (
    <Dialog.Root open={shown} onOpenChange={(d) => !d.open && onClose()} size="sm">
      <Portal>
        <Dialog.Backdrop />
        <Dialog.Positioner>
          <Dialog.Content borderRadius="0" bg="page" borderWidth="1px" borderColor="ink">
            <Dialog.Header>
              <Dialog.Title>Units and dates</Dialog.Title>
            </Dialog.Header>
            <Dialog.Body pb="20px">
              <form onSubmit={submit} aria-label="Units and dates">
                <Text mb="10px" color="faint" fontSize="14px">
                  For every screen you read. Entries keep the unit they were read in. Numbers: whether 12.500 is twelve
                  and a half or twelve thousand five hundred when you type it.
                </Text>
                <Flex gap="12px" rowGap="10px" wrap="wrap">
                  {field("temperature")}
                  {field("volume")}
                  {field("pressure")}
                  {field("distance")}
                  {field("dates")}
                  {field("numbers")}
                </Flex>
                {save.error && <Text color="alarm">{save.error.message}</Text>}
                <Flex gap="12px" mt="14px" align="center">
                  <Submit disabled={save.isPending}>save</Submit>
                  <Button variant="ghost" size="sm" minH="44px" color="faint" onClick={onClose}>
                    cancel
                  </Button>
                </Flex>
              </form>
            </Dialog.Body>
          </Dialog.Content>
        </Dialog.Positioner>
      </Portal>
    </Dialog.Root>
  );
}
