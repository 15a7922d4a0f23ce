import { Combobox, Portal, Text, createListCollection } from "@chakra-ui/react";
import { useQuery } from "@tanstack/react-query";
import { useMemo, useRef, useState } from "react";
import { useNavigate } from "react-router";
import { api } from "../api/client";
import { useKeys } from "./keys";

/** Jump to a unit by part of its code or name; "/" puts the cursor here. */
export function JumpField() {
  const [text, setText] = useState("");
  const field = useRef<HTMLInputElement>(null);
  const navigate = useNavigate();
  const found = useQuery({
    queryKey: ["units", text],
    queryFn: ({ signal }) => api.units(text.trim(), signal),
    placeholderData: (previous) => previous,
  });
  /** Goes to the unit of that exact code, else to the first found, by the answer to this text and no other. */
  async function jump(asked: string) {
    const answer = await api.units(asked.trim());
    const exact = answer.find((u) => u.code.toLowerCase() === asked.trim().toLowerCase());
    const to = exact ?? answer[0];
    if (to) go(to.code);
  }
  function go(code: string) {
    setText("");
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
      value={[]}
      // No code begins with a slash: one typed here was meant to bring the cursor.
      onInputValueChange={(d) => {
        setChosen(false);
        setText(d.inputValue.replace(/^\/+/, ""));
      }}
      onValueChange={(d) => {
        const code = d.value[0];
        if (code) go(code);
      }}
    >
      <Combobox.Control>
        <Combobox.Input
          ref={field}
          placeholder="jump to unit  /"
          aria-label="Jump to unit"
          borderColor="faint"
          onKeyDownCapture={(event) => {
            if (event.key === "ArrowDown" || event.key === "ArrowUp") setChosen(true);
            // The list may still be that of the text before: a scanner types faster than it answers.
            const typed = event.currentTarget.value.replace(/^\/+/, "");
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
