import { Box, Text } from "@chakra-ui/react";
import type { Schemas } from "../api/client";

/** The cautions that hold wherever a system may be opened or topped up. */
export function Cautions({ kind }: { kind?: Schemas["UnitKind"] }) {
  const lines = [
    "Never open a hot system: pressurised coolant and steam burn.",
    "Coolant is poisonous and tastes sweet: keep it from children and animals, rinse every spill, never siphon by mouth. Gloves and eye protection.",
    "Used coolant goes to recycling by local rules, never to a drain.",
    ...(kind === "boat" ? ["Nothing over the side or into the bilge: discharge rules apply."] : []),
    ...(kind === "aircraft"
      ? ["Aircraft: approved maintenance data and a licensed signatory decide. These books only prepare and record."]
      : []),
  ];
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
      {lines.map((l) => (
        <Text key={l} mb="4px">
          {l}
        </Text>
      ))}
    </Box>
  );
}
