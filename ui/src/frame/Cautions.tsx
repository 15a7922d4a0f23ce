import { Box } from "@chakra-ui/react";

/** What holds wherever a system is opened, topped up or worked on. */
export function Cautions({ lines }: { lines: readonly string[] }) {
  return (
    <Box
      as="section"
      aria-label="Cautions"
      mt="18px"
      pl="12px"
      borderLeftWidth="4px"
      borderColor="alarm"
      fontSize="14px"
    >
      <Box as="ul" listStyleType="none">
        {lines.map((l) => (
          <Box as="li" key={l} mb="4px">
            {l}
          </Box>
        ))}
      </Box>
    </Box>
  );
}
