import { Box, Flex, Link, Text } from "@chakra-ui/react";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { type SyntheticEvent, useState } from "react";
import { Link as RouterLink, useNavigate, useParams } from "react-router";
import { Problem, api } from "../api/client";
import { TextField } from "../account/fields";
import { Failed, Waiting } from "../frame/State";
import { Cover } from "./SignInPage";
import { enter } from "./session";
import { Submit } from "../frame/Submit";

const greetings = {
  first: "You are the first coordinator. Enter your name and choose a password.",
  invitation: "An account was opened for you. Choose a password.",
  reset: "Choose a new password. The old one stops working.",
};

/** A one-time link from the mail or the terminal: choose a password, once. */
export function LinkPage() {
  const { token = "" } = useParams();
  const link = useQuery({
    queryKey: ["link", token],
    queryFn: ({ signal }) => api.link(token, signal),
    retry: false,
    staleTime: Number.POSITIVE_INFINITY,
  });
  return (
    <Cover title="Diligent Ledger">
      {link.isPending && <Waiting what="the link" />}
      {link.error && (
        <Failed error={link.error}>
          <Link asChild color="accent" fontWeight="700">
            <RouterLink to="/">to the sign-in</RouterLink>
          </Link>
        </Failed>
      )}
      {link.data && (
        <Choose
          token={token}
          first={link.data.purpose === "first"}
          greeting={greetings[link.data.purpose]}
          who={link.data}
        />
      )}
    </Cover>
  );
}

function Choose(p: { token: string; first: boolean; greeting: string; who: { name: string; email: string } }) {
  const [name, setName] = useState("");
  const [email, setEmail] = useState("");
  const [password, setPassword] = useState("");
  const [again, setAgain] = useState("");
  const queries = useQueryClient();
  const navigate = useNavigate();
  const choose = useMutation({
    mutationFn: () => api.useLink(p.token, p.first ? { password, name, email } : { password }),
    onSuccess: (session) => {
      enter(queries, session);
      void navigate("/");
    },
  });
  const differ = again !== "" && again !== password;
  const refusalOf = (pointer: string) =>
    choose.error instanceof Problem ? choose.error.refusalOf(pointer) : undefined;
  const placed = refusalOf("/password") ?? refusalOf("/name") ?? refusalOf("/email");
  function submit(event: SyntheticEvent) {
    event.preventDefault();
    if (!choose.isPending && !differ) choose.mutate();
  }
  return (
    <form onSubmit={submit} aria-label="Choose a password">
      <Text mb="14px">{p.greeting}</Text>
      <Flex direction="column" gap="14px">
        {p.first ? (
          <>
            <TextField
              label="your name, as the books will show it"
              autoComplete="name"
              value={name}
              onChange={setName}
              error={refusalOf("/name")}
            />
            <TextField
              label="your e-mail address"
              type="email"
              autoComplete="username"
              value={email}
              onChange={setEmail}
              error={refusalOf("/email")}
            />
          </>
        ) : (
          <Text fontWeight="700">
            {p.who.name}, {p.who.email}
          </Text>
        )}
        <TextField
          label="new password"
          type="password"
          autoComplete="new-password"
          value={password}
          onChange={setPassword}
          hint="12 characters or more, such as four unrelated words"
          error={refusalOf("/password")}
        />
        <TextField
          label="the same again"
          type="password"
          autoComplete="new-password"
          value={again}
          onChange={setAgain}
          error={differ ? "the two are not the same" : undefined}
        />
        <Box aria-live="polite">{choose.error && !placed && <Text color="alarm">{choose.error.message}</Text>}</Box>
        <Submit
          minH="48px"
          disabled={choose.isPending || !password || password !== again || (p.first && (!name || !email))}
        >
          open the books
        </Submit>
      </Flex>
    </form>
  );
}
