import { Box, Button, Flex, Text } from "@chakra-ui/react";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { type SyntheticEvent, useEffect, useState } from "react";
import { type Schemas, api } from "../api/client";
import { TextField } from "../account/fields";
import { useScheme } from "../frame/scheme";
import { roleNames } from "../words/names";
import { countSealed, sealOthers } from "../frame/seal";
import { dropOwedSignOut } from "./owed";
import { enter } from "./session";
import { Submit } from "../frame/Submit";

/** The cover of the book: who opens it. */
export function SignInPage({ demo }: { demo: readonly Schemas["DemoAccount"][] }) {
  useScheme();
  const signIn = useSignIn();
  const [sealed, setSealed] = useState(0);
  useEffect(() => {
    document.title = "Sign in · Diligent Ledger";
    // No one is signed in: encrypt the unsent records of sessions that expired.
    void sealOthers("")
      .then(countSealed)
      .then(setSealed)
      .catch(() => undefined);
  }, []);
  return (
    <Cover title="Diligent Ledger">
      <SignInForm />
      {sealed > 0 && (
        <Text mt="14px" fontSize="14px" color="faint">
          Unsent records on this device, encrypted: {sealed}. They are sent when the person who recorded them signs in.
        </Text>
      )}
      {demo.length > 0 && (
        <Box as="section" aria-label="Demo accounts" mt="22px" pt="12px" borderTopWidth="1px" borderColor="ink">
          <Text fontWeight="700">Demo fleet: sign in as</Text>
          <Text fontSize="14px" color="faint">
            all with the password “{demo[0]?.password}”
          </Text>
          <Box as="ul" listStyleType="none" mt="6px">
            {demo.map((d) => (
              <Flex as="li" key={d.email} borderBottomWidth="1px" borderColor="rule">
                <Button
                  variant="ghost"
                  w="100%"
                  minH="44px"
                  px="6px"
                  justifyContent="space-between"
                  borderRadius="0"
                  onClick={() => signIn.mutate(d)}
                >
                  <Text as="span" fontWeight="700">
                    {d.name}
                  </Text>
                  <Text as="span" color="faint" fontWeight="400">
                    {roleNames[d.role]}
                  </Text>
                </Button>
              </Flex>
            ))}
          </Box>
        </Box>
      )}
    </Cover>
  );
}

function useSignIn(again = "") {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: (who: { email: string; password: string }) => api.signIn(who.email, who.password),
    onSuccess: (session) => {
      dropOwedSignOut();
      enter(queries, session, again);
    },
  });
}

/** Address and password, and the way out for the person who has forgotten it. */
export function SignInForm({ initial = "" }: { initial?: string }) {
  const [email, setEmail] = useState(initial);
  const [password, setPassword] = useState("");
  const [asked, setAsked] = useState(false);
  const signIn = useSignIn(initial);
  const forgot = useMutation({ mutationFn: () => api.requestPasswordReset(email) });
  function submit(event: SyntheticEvent) {
    event.preventDefault();
    if (!signIn.isPending) signIn.mutate({ email, password });
  }
  return (
    <>
      <form onSubmit={submit} aria-label="Sign in">
        <Flex direction="column" gap="14px">
          <TextField label="e-mail address" type="email" autoComplete="username" value={email} onChange={setEmail} />
          <TextField
            label="password"
            type="password"
            autoComplete="current-password"
            value={password}
            onChange={setPassword}
          />
          <Box minH="24px" aria-live="polite">
            {signIn.error && <Text color="alarm">{signIn.error.message}</Text>}
          </Box>
          <Submit minH="48px" disabled={signIn.isPending || !email || !password}>
            {signIn.isPending ? "opening …" : "open the books"}
          </Submit>
        </Flex>
      </form>
      <Box mt="14px">
        {!asked && (
          <Button variant="plain" px="0" color="accent" fontWeight="700" onClick={() => setAsked(true)}>
            forgotten the password?
          </Button>
        )}
        {asked && !forgot.isSuccess && (
          <Text>
            A link to choose a new one goes to {email || "the address above"}.{" "}
            <Button
              variant="plain"
              px="0"
              color="accent"
              fontWeight="700"
              disabled={!email || forgot.isPending}
              onClick={() => forgot.mutate()}
            >
              send it
            </Button>
          </Text>
        )}
        {forgot.isSuccess && (
          <Text>If that address has an account, a link is in its mail now. It works for two hours.</Text>
        )}
        {forgot.error && <Text color="alarm">{forgot.error.message}</Text>}
      </Box>
    </>
  );
}

/** A page before the book is open: one column, the spine to its left. */
export function Cover({ title, children }: { title: string; children: React.ReactNode }) {
  return (
    <Box as="main" minH="100vh" display="flex" justifyContent="center" px="16px" py={{ base: "20px", md: "36px" }}>
      <Box
        w="100%"
        maxW="460px"
        borderYWidth="1px"
        borderRightWidth="1px"
        borderColor="ink"
        boxShadow="inset 10px 0 0 var(--chakra-colors-accent)"
        pl={{ base: "28px", md: "42px" }}
        pr={{ base: "18px", md: "32px" }}
        py="24px"
        alignSelf="flex-start"
      >
        <Text as="h1" fontSize="24px" fontWeight="700">
          {title}
        </Text>
        <Text color="faint" mb="20px">
          the books of a fleet’s coolant
        </Text>
        {children}
      </Box>
    </Box>
  );
}
