import Autocomplete from "@mui/material/Autocomplete";
import MenuItem from "@mui/material/MenuItem";
import TextField from "@mui/material/TextField";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";

import { client, dataOf, problemOf, type Account } from "../api/client";
import { accountsQuery, feedsQuery } from "../api/queries";
import { FormDialog } from "../parts/FormDialog";
import { madePassword } from "./password";

/** Adds an account; its password is made up, and can be another. */
export function AccountDialog({ onClose }: { onClose: () => void }) {
  const queries = useQueryClient();
  const feeds = useQuery(feedsQuery);
  const [name, setName] = useState("");
  const [role, setRole] = useState<Account["role"]>("viewer");
  const [password, setPassword] = useState(madePassword);
  const [named, setNamed] = useState<string[]>([]);
  const add = useMutation({
    mutationFn: async () => dataOf(await client.POST("/api/v1/accounts", { body: { name, role, password, feeds: named } })),
    onSuccess: async () => {
      await queries.invalidateQueries({ queryKey: accountsQuery.queryKey });
      onClose();
    },
  });
  const problem = add.isError ? problemOf(add.error) : undefined;
  const field = (key: string, hint: string) => ({ error: Boolean(problem?.fields[key]), helperText: problem?.fields[key] ?? hint });
  return (
    <FormDialog title="Add an account" action="Add" pending={add.isPending} problem={problem} width="xs" onSubmit={() => add.mutate()} onClose={onClose}>
      <TextField label="Name" value={name} onChange={(e) => setName(e.target.value)} required autoFocus autoComplete="off" {...field("name", "Letters, digits and . _ @ -")} />
      <TextField select label="Role" value={role} onChange={(e) => setRole(e.target.value as Account["role"])}>
        <MenuItem value="viewer">viewer: sees the feeds that are theirs</MenuItem>
        <MenuItem value="engineer">engineer: sees and changes everything</MenuItem>
        <MenuItem value="panel">panel: a device that knows Basic or Digest</MenuItem>
      </TextField>
      <TextField label="Password" value={password} onChange={(e) => setPassword(e.target.value)} required autoComplete="off" {...field("password", "Note it now: it is not shown again")} />
      {role !== "engineer" && (
        <Autocomplete
          multiple
          options={(feeds.data ?? []).map((f) => f.name)}
          value={named}
          onChange={(_, list) => setNamed(list)}
          renderInput={(p) => <TextField {...p} label="Feeds that name it" {...field("feeds", role === "panel" ? "A panel opens these alone" : "Besides those for everyone and for signed-in people")} />}
        />
      )}
    </FormDialog>
  );
}
