import { ChakraProvider } from "@chakra-ui/react";
import createCache from "@emotion/cache";
import { CacheProvider } from "@emotion/react";
import type { ComponentType, ReactNode } from "react";
import { system } from "./theme";

// The server lets only styles with this nonce into the page.
const nonce = document.querySelector<HTMLMetaElement>('meta[name="style-nonce"]')?.content;
const styles = createCache({ key: "dl", nonce });

/** Chakra UI for the forms, menus and dialogs in it. */
export function WithChakra({ children }: { children: ReactNode }) {
  return (
    <CacheProvider value={styles}>
      <ChakraProvider value={system}>{children}</ChakraProvider>
    </CacheProvider>
  );
}

/** A component that brings Chakra UI along. */
export function withChakra<P extends object>(Inner: ComponentType<P>): { default: ComponentType<P> } {
  return {
    default: (props: P) => (
      <WithChakra>
        <Inner {...props} />
      </WithChakra>
    ),
  };
}
