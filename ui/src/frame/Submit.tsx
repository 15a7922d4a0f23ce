import { Button } from "@chakra-ui/react";

/** What sends a form; beside fields it stands as high as they do, below their labels. */
export function Submit(p: { disabled: boolean; beside?: boolean; minH?: string; children: React.ReactNode }) {
  return (
    <Button
      type="submit"
      mt={p.beside ? "24px" : undefined}
      minH={p.minH ?? "44px"}
      borderRadius="0"
      bg="ink"
      color="page"
      disabled={p.disabled}
    >
      {p.children}
    </Button>
  );
}
