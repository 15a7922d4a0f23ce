import { Link, Text } from "@chakra-ui/react";
import { Link as RouterLink } from "react-router";
import { Frame } from "./frame/Frame";

/** An address that is no page of the book. */
export function NoPage() {
  return (
    <Frame title="No such page" head="">
      <Text py="20px">
        Nothing is written at this address.{" "}
        <Link asChild color="accent" textDecoration="underline">
          <RouterLink to="/">Open Morning</RouterLink>
        </Link>
        , or jump to a unit above.
      </Text>
    </Frame>
  );
}
