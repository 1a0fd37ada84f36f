import Button from "@mui/material/Button";
import Dialog from "@mui/material/Dialog";
import DialogActions from "@mui/material/DialogActions";
import DialogContent from "@mui/material/DialogContent";
import DialogTitle from "@mui/material/DialogTitle";
import Stack from "@mui/material/Stack";
import TextField from "@mui/material/TextField";
import { useMutation } from "@tanstack/react-query";
import { useState, type FormEvent } from "react";

import { client, dataOf, problemOf } from "../api/client";
import { ProblemBox } from "../parts/ProblemBox";
import { madePassword } from "./password";

/** Gives an account another password. */
export function PasswordDialog({ account, onClose }: { account: string; onClose: () => void }) {
  const [password, setPassword] = useState(madePassword);
  const save = useMutation({
    mutationFn: async () => dataOf(await client.PUT("/api/v1/accounts/{account}/password", { params: { path: { account } }, body: { password } })),
    onSuccess: onClose,
  });
  const problem = save.isError ? problemOf(save.error) : undefined;
  const submit = (e: FormEvent) => {
    e.preventDefault();
    save.mutate();
  };
  return (
    <Dialog open onClose={onClose} fullWidth maxWidth="xs" slotProps={{ paper: { component: "form", onSubmit: submit } }}>
      <DialogTitle>Another password for {account}</DialogTitle>
      <DialogContent>
        <Stack spacing={2} sx={{ pt: 1 }}>
          <TextField
            label="Password"
            value={password}
            onChange={(e) => setPassword(e.target.value)}
            required
            autoComplete="off"
            error={Boolean(problem?.fields.password)}
            helperText={problem?.fields.password ?? "Note it now. The account is signed out everywhere."}
          />
          {problem && <ProblemBox problem={problem} />}
        </Stack>
      </DialogContent>
      <DialogActions>
        <Button onClick={onClose}>Cancel</Button>
        <Button type="submit" variant="contained" loading={save.isPending}>
          Set it
        </Button>
      </DialogActions>
    </Dialog>
  );
}
