import { chakra } from "@chakra-ui/react";
import { useState } from "react";
import { sayWhy } from "../api/client";
import { logIn, wantedBefore } from "../api/session";
import { Button, Field, Input, Stack } from "../parts";

/** Login asks for the passphrase of a program that others can reach. */
export function Login() {
  const [passphrase, setPassphrase] = useState("");
  const [refused, setRefused] = useState<string>();
  const [busy, setBusy] = useState(false);
  const enter = async (e: React.FormEvent) => {
    e.preventDefault();
    setBusy(true);
    setRefused(undefined);
    try {
      await logIn(passphrase);
      window.location.assign(wantedBefore());
    } catch (error) {
      setRefused(sayWhy(error));
      setBusy(false);
    }
  };
  return (
    <chakra.main minH="100vh" display="grid" placeItems="center" px="16px">
      <chakra.form
        onSubmit={enter}
        w="min(380px, 100%)"
        bg="card"
        border="1px solid"
        borderColor="hair"
        borderTop="6px solid"
        borderTopColor="brassMark"
        borderRadius="8px"
        px="26px"
        py="24px"
      >
        <Stack gap="14px">
          <chakra.h1 fontSize="head" fontWeight={700}>
            Vest Pin
          </chakra.h1>
          <p>Log in with the passphrase of this program.</p>
          <Field label="Passphrase" error={refused} hint="As it was set where the program was started">
            {(p) => (
              <Input
                {...p}
                type="password"
                autoComplete="current-password"
                autoFocus
                value={passphrase}
                onChange={(e) => setPassphrase(e.target.value)}
              />
            )}
          </Field>
          <Button type="submit" variant="lead" disabled={busy || passphrase === ""}>
            {busy ? "One moment…" : "Log in"}
          </Button>
        </Stack>
      </chakra.form>
    </chakra.main>
  );
}
