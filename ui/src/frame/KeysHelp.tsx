import { Box, Dialog, Portal, Text } from "@chakra-ui/react";
import type { Key } from "./keys";

/** The keys of a page. */
export function KeysHelp({ keys, onClose }: { keys: readonly Key[]; onClose: () => void }) {
  const rows = [...keys, { key: "/", does: "jump to a unit" }, { key: "Enter", does: "open the line" }];
  return (
    <Dialog.Root open onOpenChange={(d) => !d.open && onClose()} size="sm">
      <Portal>
        <Dialog.Backdrop />
        <Dialog.Positioner>
          <Dialog.Content borderRadius="0" bg="page" borderWidth="1px" borderColor="ink">
            <Dialog.Header>
              <Dialog.Title>Keys of this page</Dialog.Title>
            </Dialog.Header>
            <Dialog.Body pb="20px">
              <Box as="dl" display="grid" gridTemplateColumns="70px 1fr" rowGap="6px">
                {rows.map((k) => (
                  <Box key={k.key} display="contents">
                    <Text as="dt" className="figures" fontWeight="700">
                      {k.key}
                    </Text>
                    <Text as="dd">{k.does}</Text>
                  </Box>
                ))}
              </Box>
            </Dialog.Body>
          </Dialog.Content>
        </Dialog.Positioner>
      </Portal>
    </Dialog.Root>
  );
}
