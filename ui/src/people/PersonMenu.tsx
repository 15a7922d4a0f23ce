import { Button, type ButtonProps, Text } from "@chakra-ui/react";
import { Suspense, lazy, useState } from "react";
import { usePerson } from "./session";

const OpenMenu = lazy(() => import("./OpenMenu").then((m) => ({ default: m.OpenMenu })));

/** Who is signed in, and the way out; the menu is fetched when it is opened first. */
export function PersonMenu() {
  const [used, setUsed] = useState(false);
  if (!used) return <PersonButton aria-haspopup="menu" onClick={() => setUsed(true)} />;
  return (
    <Suspense fallback={<PersonButton />}>
      <OpenMenu />
    </Suspense>
  );
}

export function PersonButton(props: ButtonProps) {
  const person = usePerson();
  return (
    <Button
      variant="ghost"
      size="xs"
      px={{ base: "4px", md: "8px" }}
      className="no-print"
      aria-label={`signed in as ${person.name}`}
      {...props}
    >
      <Text as="span" truncate maxW={{ base: "64px", md: "160px" }}>
        {person.name}
      </Text>
    </Button>
  );
}
