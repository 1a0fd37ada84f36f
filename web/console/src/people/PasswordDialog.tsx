import TextField from "@mui/material/TextField";
import { useMutation } from "@tanstack/react-query";
import { useState } from "react";

import { client, dataOf, problemOf } from "../api/client";
import { FormDialog } from "../parts/FormDialog";
import { madePassword } from "./password";

/** Gives an account another password. */
export function PasswordDialog({ account, onClose }: { account: string; onClose: () => void }) {
  const [password, setPassword] = useState(madePassword);
  const save = useMutation({
    mutationFn: async () => dataOf(await client.PUT("/api/v1/accounts/{account}/password", { params: { path: { account } }, body: { password } })),
    onSuccess: onClose,
  });
  const problem = save.isError ? problemOf(save.error) : undefined;
  return (
    <FormDialog title={`Another password for ${account}`} action="Set it" pending={save.isPending} problem={problem} width="xs" onSubmit={() => save.mutate()} onClose={onClose}>
      <TextField
        label="Password"
        value={password}
        onChange={(e) => setPassword(e.target.value)}
        required
        autoComplete="off"
        error={Boolean(problem?.fields.password)}
        helperText={problem?.fields.password ?? "Note it now. The account is signed out everywhere."}
      />
    </FormDialog>
  );
}
