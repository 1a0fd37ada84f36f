import Alert from "@mui/material/Alert";
import Button from "@mui/material/Button";
import Stack from "@mui/material/Stack";
import TextField from "@mui/material/TextField";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState, type FormEvent } from "react";

import { client, dataOf, problemOf } from "../api/client";
import { ProblemBox } from "../parts/ProblemBox";
import { Section } from "../parts/Section";

export function OwnPassword() {
  const queries = useQueryClient();
  const [present, setPresent] = useState("");
  const [password, setPassword] = useState("");
  const save = useMutation({
    mutationFn: async () => dataOf(await client.PUT("/api/v1/me/password", { body: { present, password } })),
    onSuccess: () => {
      setPresent("");
      setPassword("");
      return queries.invalidateQueries({ queryKey: ["sessions"] });
    },
  });
  const problem = save.isError ? problemOf(save.error) : undefined;
  const field = (key: string, hint?: string) => ({ error: Boolean(problem?.fields[key]), helperText: problem?.fields[key] ?? hint });
  const submit = (e: FormEvent) => {
    e.preventDefault();
    save.mutate();
  };
  return (
    <Section title="Password">
      <Stack component="form" onSubmit={submit} spacing={2}>
        <Stack direction={{ xs: "column", sm: "row" }} spacing={2}>
          <TextField label="Password until now" type="password" value={present} onChange={(e) => setPresent(e.target.value)} autoComplete="current-password" required {...field("present")} />
          <TextField label="New password" type="password" value={password} onChange={(e) => setPassword(e.target.value)} autoComplete="new-password" required {...field("password", "8 letters or more")} />
        </Stack>
        {problem && Object.keys(problem.fields).length === 0 && <ProblemBox problem={problem} />}
        {save.isSuccess && <Alert severity="success">You have another password. Other browsers are signed out.</Alert>}
        <Button type="submit" variant="outlined" loading={save.isPending} sx={{ alignSelf: "start" }}>
          Change it
        </Button>
      </Stack>
    </Section>
  );
}
