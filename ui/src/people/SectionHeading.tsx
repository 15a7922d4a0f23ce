import { Flex, Text } from "@chakra-ui/react";
import type { ReactNode } from "react";

/** The heading of a section of the register, with what its list is taken along by. */
export function SectionHeading({ children, end }: { children: string; end?: ReactNode }) {
  return (
    <Flex justify="space-between" align="flex-end" borderBottomWidth="1px" borderColor="ink" mt="10px">
      <Text as="h2" fontWeight="700" pb="3px">
        {children}
      </Text>
      {end}
    </Flex>
  );
}
