import { Box, Button, Text } from "@chakra-ui/react";
import type { ReactNode } from "react";

/** What stands on the page while its figures are on their way. */
export function Waiting({ what }: { what: string }) {
  return (
    <Text color="faint" py="20px" role="status">
      fetching {what} …
    </Text>
  );
}

/** What stands on the page when its figures did not come. */
export function Failed({ error, again, children }: { error: Error; again?: () => void; children?: ReactNode }) {
  return (
    <Box role="alert" borderLeftWidth="4px" borderColor="alarm" pl="14px" py="6px" my="20px">
      <Text>{error.message}</Text>
      {children}
      {again && (
        <Button mt="8px" size="sm" variant="outline" onClick={again}>
          try again
        </Button>
      )}
    </Box>
  );
}
