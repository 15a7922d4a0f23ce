import { type ComponentType, lazy } from "react";

/** A component that is fetched when it is drawn first, and Chakra UI with it. */
export function lazyWithChakra<P extends object>(fetch: () => Promise<ComponentType<P>>) {
  return lazy(async () => {
    const [{ withChakra }, Inner] = await Promise.all([import("./chakra"), fetch()]);
    return withChakra(Inner);
  });
}
