import { Combobox, Portal, Text, createListCollection } from "@chakra-ui/react";
import { useQuery } from "@tanstack/react-query";
import { useMemo, useRef, useState } from "react";
import { useNavigate } from "react-router";
import { api } from "../api/client";
import { typedText, unitMeant } from "./jump";
import { useKeys } from "./keys";

/** The jump field once it is used: it has the cursor, and what was typed into it before it had come. */
export function JumpCombobox({ typed }: { typed: string }) {
  const [text, setText] = useState(typed);
  // The machine of the combobox drops what is typed until it has started; the text and its list do not wait for it.
  const [listed, setListed] = useState(typed.trim() !== "");
  const field = useRef<HTMLInputElement>(null);
  const navigate = useNavigate();
  const found = useQuery({
    queryKey: ["units", text],
    queryFn: ({ signal }) => api.units(text.trim(), signal),
    placeholderData: (previous) => previous,
  });
  async function jump(asked: string) {
    const code = await unitMeant(asked);
    if (code) go(code);
  }
  function go(code: string) {
    setText("");
    setListed(false);
    field.current?.blur();
    void navigate(`/units/${encodeURIComponent(code)}`);
  }
  /** A line was chosen with the arrows: then Enter means that line. */
  const [chosen, setChosen] = useState(false);
  const collection = useMemo(
    () =>
      createListCollection({
        items: found.data ?? [],
        itemToString: (u) => u.code,
        itemToValue: (u) => u.code,
      }),
    [found.data],
  );
  const keys = useMemo(() => [{ key: "/", does: "jump to a unit", run: () => field.current?.focus() }], []);
  useKeys(keys);
  return (
    <Combobox.Root
      collection={collection}
      width={{ base: "112px", md: "230px" }}
      size="sm"
      variant="flushed"
      inputBehavior="autohighlight"
      selectionBehavior="clear"
      openOnClick
      inputValue={text}
      open={listed}
      onOpenChange={(d) => {
        setListed(d.open);
      }}
      value={[]}
      onInputValueChange={(d) => {
        setChosen(false);
        setText(typedText(d.inputValue));
      }}
      onValueChange={(d) => {
        const code = d.value[0];
        if (code) go(code);
      }}
    >
      <Combobox.Control>
        <Combobox.Input
          ref={field}
          autoFocus
          placeholder="jump to unit  /"
          aria-label="Jump to unit"
          borderColor="faint"
          onChange={(event) => {
            setText(typedText(event.currentTarget.value));
            setListed(true);
          }}
          onKeyDownCapture={(event) => {
            if (event.key === "ArrowDown" || event.key === "ArrowUp") setChosen(true);
            // The list may still be that of the text before: a scanner types faster than it answers.
            const typed = typedText(event.currentTarget.value);
            if (event.key !== "Enter" || chosen || typed.trim() === "") return;
            event.preventDefault();
            event.stopPropagation();
            void jump(typed);
          }}
        />
      </Combobox.Control>
      <Portal>
        <Combobox.Positioner>
          <Combobox.Content minW="300px" borderRadius="0" bg="page" borderWidth="1px" borderColor="ink">
            <Combobox.Empty>no unit of that code or name</Combobox.Empty>
            {collection.items.map((u) => (
              <Combobox.Item key={u.code} item={u} borderRadius="0">
                <Text as="span" className="figures" fontWeight="700" minW="70px">
                  {u.code}
                </Text>
                <Text as="span" flex="1" lineClamp={1}>
                  {u.name}
                </Text>
                <Text as="span" color="faint">
                  {u.site}
                </Text>
              </Combobox.Item>
            ))}
          </Combobox.Content>
        </Combobox.Positioner>
      </Portal>
    </Combobox.Root>
  );
}
