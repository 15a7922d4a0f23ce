import { Dialog, Portal, Text } from "@chakra-ui/react";
import { SignInForm } from "./SignInPage";

/** The sign-in over the page of a person whose session has ended. */
export function SignInAgain({ name, email }: { name: string; email: string }) {
  return (
    <Dialog.Root open role="alertdialog" size="sm">
      <Portal>
        <Dialog.Backdrop />
        <Dialog.Positioner>
          <Dialog.Content borderRadius="0" bg="page" borderWidth="1px" borderColor="ink">
            <Dialog.Header>
              <Dialog.Title>Sign in again</Dialog.Title>
            </Dialog.Header>
            <Dialog.Body pb="20px">
              <Text mb="12px">The session of {name} has ended. What you typed is still on the page.</Text>
              <SignInForm initial={email} />
            </Dialog.Body>
          </Dialog.Content>
        </Dialog.Positioner>
      </Portal>
    </Dialog.Root>
  );
}
