import { Box, Button, Grid, Heading, Input, Stack } from "@chakra-ui/react";
import { useState } from "react";
import { sayWhy } from "../api/client";
import { logIn, wantedBefore } from "../api/session";
import { Labelled } from "../parts";

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
    <Grid as="main" minH="100vh" placeItems="center" px="16px">
      <title>Log in · Vest Pin</title>
      <Box
        asChild
        w="min(380px, 100%)"
        bg="card"
        border="1px solid"
        borderColor="hair"
        borderTop="6px solid"
        borderTopColor="brass.mark"
        borderRadius="card"
        px="26px"
        py="24px"
      >
        <form onSubmit={enter}>
          <Stack gap="14px">
            <Heading as="h1" size="md">
              Vest Pin
            </Heading>
            <p>Log in with the passphrase of this program.</p>
            <Labelled label="Passphrase" error={refused} hint="As it was set where the program was started">
              <Input
                type="password"
                autoComplete="current-password"
                autoFocus
                value={passphrase}
                onChange={(e) => setPassphrase(e.currentTarget.value)}
              />
            </Labelled>
            <Button type="submit" variant="solid" disabled={busy || passphrase === ""}>
              {busy ? "One moment…" : "Log in"}
            </Button>
          </Stack>
        </form>
      </Box>
    </Grid>
  );
}
