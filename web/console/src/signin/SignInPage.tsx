import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Paper from "@mui/material/Paper";
import Stack from "@mui/material/Stack";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState, type FormEvent } from "react";

import { at } from "../api/base";
import { client, dataOf, problemOf } from "../api/client";
import { signInQuery } from "../api/queries";
import { ProblemBox } from "../parts/ProblemBox";

/** Where to go afterwards: only to a path of this service. */
function nextPath(): string | null {
  const next = new URLSearchParams(location.search).get("next");
  if (!next) return null;
  const url = URL.parse(next, location.origin);
  return url?.origin === location.origin ? url.pathname + url.search : null;
}

export function SignInPage() {
  const queries = useQueryClient();
  const page = useQuery(signInQuery);
  const first = page.data?.firstAccount;
  const [typed, setName] = useState<string>();
  const name = typed ?? first ?? "";
  const [password, setPassword] = useState("");
  const [code, setCode] = useState("");
  const signIn = useMutation({
    mutationFn: async () => dataOf(await client.POST("/api/v1/sign-in", { body: { name, password, code } })),
    onSuccess: async () => {
      const next = nextPath();
      if (next) location.assign(next);
      else await queries.resetQueries();
    },
  });
  const failure = signIn.isError ? problemOf(signIn.error).code : undefined;
  const asksCode = failure === "code-needed" || failure === "code-refused" || code !== "";
  const submit = (e: FormEvent) => {
    e.preventDefault();
    signIn.mutate();
  };
  return (
    <Box component="main" sx={{ display: "grid", placeItems: "center", minHeight: "100vh", p: 2 }}>
      <Paper component="form" onSubmit={submit} sx={{ p: 4, width: "100%", maxWidth: 400 }}>
        <Stack spacing={2.2}>
          <Stack direction="row" spacing={1.5} sx={{ alignItems: "center" }}>
            <Box component="img" src={at("/player/mark.svg")} alt="" sx={{ width: 40, height: 40 }} />
            <Typography variant="h1">Sign in</Typography>
          </Stack>
          {first && <Typography color="textSecondary">The first start of the service has shown the password of the account “{first}”.</Typography>}
          <TextField label="Account" value={name} onChange={(e) => setName(e.target.value)} autoComplete="username" required />
          <TextField
            label="Password"
            type="password"
            value={password}
            onChange={(e) => setPassword(e.target.value)}
            autoComplete="current-password"
            autoFocus
            required
          />
          {asksCode && (
            <TextField label="Code of your authenticator" value={code} onChange={(e) => setCode(e.target.value)} autoComplete="one-time-code" slotProps={{ htmlInput: { inputMode: "numeric" } }} autoFocus required />
          )}
          {signIn.isError && <ProblemBox problem={problemOf(signIn.error)} />}
          <Button type="submit" variant="contained" size="large" loading={signIn.isPending}>
            Sign in
          </Button>
        </Stack>
      </Paper>
    </Box>
  );
}
