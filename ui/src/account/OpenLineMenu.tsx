import { Menu, Portal } from "@chakra-ui/react";

/** What can be done with a line that was written, open from the start. */
export function OpenLineMenu(p: { label: string; onCorrect: () => void; onStrike: () => void }) {
  return (
    <Menu.Root lazyMount defaultOpen>
      <Menu.Trigger asChild>
        <button type="button" className="act quiet dots" aria-label={p.label}>
          ⋯
        </button>
      </Menu.Trigger>
      <Portal>
        <Menu.Positioner>
          <Menu.Content borderRadius="0" bg="page" borderWidth="1px" borderColor="ink">
            <Menu.Item value="correct" minH="44px" onClick={p.onCorrect}>
              correct it: strike and record again
            </Menu.Item>
            <Menu.Item value="strike" minH="44px" onClick={p.onStrike}>
              strike it
            </Menu.Item>
          </Menu.Content>
        </Menu.Positioner>
      </Portal>
    </Menu.Root>
  );
}
