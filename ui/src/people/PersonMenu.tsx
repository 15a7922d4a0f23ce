import { type ComponentProps, Suspense, useState } from "react";
import { lazyWithChakra } from "../lazily";
import { usePerson } from "./session";

const OpenMenu = lazyWithChakra(() => import("./OpenMenu").then((m) => m.OpenMenu));

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

export function PersonButton(props: ComponentProps<"button">) {
  const person = usePerson();
  return (
    <button type="button" className="act small who no-print" aria-label={`signed in as ${person.name}`} {...props}>
      <span className="cut">{person.name}</span>
    </button>
  );
}
