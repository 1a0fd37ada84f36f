import Alert from "@mui/material/Alert";
import Autocomplete from "@mui/material/Autocomplete";
import Button from "@mui/material/Button";
import Dialog from "@mui/material/Dialog";
import DialogActions from "@mui/material/DialogActions";
import DialogContent from "@mui/material/DialogContent";
import DialogTitle from "@mui/material/DialogTitle";
import MenuItem from "@mui/material/MenuItem";
import Stack from "@mui/material/Stack";
import TextField from "@mui/material/TextField";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState, type FormEvent } from "react";

import { client, dataOf, problemOf, type NewToken } from "../api/client";
import { feedsQuery, tokensQuery } from "../api/queries";
import { CopyLine } from "../parts/CopyLine";
import { ProblemBox } from "../parts/ProblemBox";

const scopes: Record<NewToken["scope"], string> = {
  read: "read: sees what an engineer sees, changes nothing",
  manage: "manage: everything that an engineer may",
  media: "media: opens media of the feeds below",
  metrics: "metrics: reads /metrics",
};

/** Makes a token, and shows its text this once. */
export function TokenDialog({ onClose }: { onClose: () => void }) {
  const queries = useQueryClient();
  const feeds = useQuery(feedsQuery);
  const [name, setName] = useState("");
  const [scope, setScope] = useState<NewToken["scope"]>("read");
  const [named, setNamed] = useState<string[]>([]);
  const [ends, setEnds] = useState("");
  const make = useMutation({
    mutationFn: async () =>
      dataOf(await client.POST("/api/v1/tokens", { body: { name, scope, feeds: scope === "media" ? named : [], ends: ends ? new Date(ends).toISOString() : undefined } })),
    onSuccess: () => queries.invalidateQueries({ queryKey: tokensQuery.queryKey }),
  });
  const problem = make.isError ? problemOf(make.error) : undefined;
  const field = (key: string, hint: string) => ({ error: Boolean(problem?.fields[key]), helperText: problem?.fields[key] ?? hint });
  const submit = (e: FormEvent) => {
    e.preventDefault();
    make.mutate();
  };
  return (
    <Dialog open onClose={onClose} fullWidth maxWidth="xs" slotProps={{ paper: { component: "form", onSubmit: submit } }}>
      <DialogTitle>{make.data ? `Token “${make.data.name}”` : "Make a token"}</DialogTitle>
      <DialogContent>
        <Stack spacing={2} sx={{ pt: 1 }}>
          {make.data ? (
            <>
              <CopyLine label="Its text" text={make.data.text ?? ""} />
              <Alert severity="info" variant="outlined">
                Copy it now: it is not shown again.
              </Alert>
            </>
          ) : (
            <>
              <TextField label="What it is for" value={name} onChange={(e) => setName(e.target.value)} required autoFocus {...field("name", "Such as the name of the program")} />
              <TextField select label="Scope" value={scope} onChange={(e) => setScope(e.target.value as NewToken["scope"])}>
                {Object.entries(scopes).map(([key, label]) => (
                  <MenuItem key={key} value={key}>
                    {label}
                  </MenuItem>
                ))}
              </TextField>
              {scope === "media" && (
                <Autocomplete
                  multiple
                  options={(feeds.data ?? []).map((f) => f.name)}
                  value={named}
                  onChange={(_, list) => setNamed(list)}
                  renderInput={(p) => <TextField {...p} label="Feeds" {...field("feeds", "")} />}
                />
              )}
              <TextField label="Ends" type="datetime-local" value={ends} onChange={(e) => setEnds(e.target.value)} slotProps={{ inputLabel: { shrink: true } }} {...field("ends", "Empty: when somebody ends it")} />
              {problem && <ProblemBox problem={problem} />}
            </>
          )}
        </Stack>
      </DialogContent>
      <DialogActions>
        <Button onClick={onClose}>{make.data ? "Close" : "Cancel"}</Button>
        {!make.data && (
          <Button type="submit" variant="contained" loading={make.isPending}>
            Make it
          </Button>
        )}
      </DialogActions>
    </Dialog>
  );
}
