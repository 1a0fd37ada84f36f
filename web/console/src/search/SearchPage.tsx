import SearchIcon from "@mui/icons-material/Search";
import Button from "@mui/material/Button";
import LinearProgress from "@mui/material/LinearProgress";
import Paper from "@mui/material/Paper";
import Stack from "@mui/material/Stack";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useMutation, useQuery } from "@tanstack/react-query";
import { useState, type FormEvent } from "react";

import { client, dataOf, problemOf } from "../api/client";
import { AddDialog } from "../add/AddDialog";
import type { CameraValues } from "../add/fields";
import { ProblemBox } from "../parts/ProblemBox";
import { Section } from "../parts/Section";
import { FoundTable, type FoundCamera } from "./FoundTable";
import { StreamsDialog } from "./StreamsDialog";

const askEvery = 400; // milliseconds, while it runs

/** Searches the service's networks for cameras, and goes on to what they offer. */
export function SearchPage() {
  const [sweep, setSweep] = useState("");
  const [asked, setAsked] = useState<FoundCamera | null>(null);
  const [adding, setAdding] = useState<Partial<CameraValues> | null>(null);
  const start = useMutation({
    mutationFn: async () => dataOf(await client.POST("/api/v1/searches", { body: { seconds: 5, sweep: sweep.split(/[\s,]+/).filter(Boolean) } })),
  });
  const id = start.data?.id;
  const search = useQuery({
    queryKey: ["search", id],
    enabled: id !== undefined,
    queryFn: async () => dataOf(await client.GET("/api/v1/searches/{id}", { params: { path: { id: id ?? "" } } })),
    refetchInterval: (q) => (q.state.data?.running === false ? false : askEvery),
  });
  const running = start.isPending || (id !== undefined && search.data?.running !== false && !search.isError);
  const problem = start.isError ? problemOf(start.error) : search.isError ? problemOf(search.error) : undefined;
  const submit = (e: FormEvent) => {
    e.preventDefault();
    start.mutate();
  };
  return (
    <Stack spacing={2}>
      <Typography variant="h1">Search for cameras</Typography>
      <Paper component="form" onSubmit={submit} sx={{ p: 2 }}>
        <Stack direction={{ xs: "column", sm: "row" }} spacing={2} sx={{ alignItems: { sm: "start" } }}>
          <TextField
            label="Private networks to try address by address"
            value={sweep}
            onChange={(e) => setSweep(e.target.value)}
            placeholder="192.168.1.0/24"
            error={Boolean(problem?.fields.sweep)}
            helperText={problem?.fields.sweep ?? "Not needed for cameras that announce themselves (WS-Discovery, mDNS)"}
            slotProps={{ inputLabel: { shrink: true } }}
            sx={{ flex: 1 }}
          />
          <Button type="submit" variant="contained" startIcon={<SearchIcon />} disabled={running} sx={{ mt: { sm: 0.5 } }}>
            {running ? "Searching …" : "Search now"}
          </Button>
        </Stack>
        {running && <LinearProgress aria-label="Searching" sx={{ mt: 2 }} />}
      </Paper>
      {problem && !problem.fields.sweep && <ProblemBox problem={problem} />}
      {search.data && (
        <Section title="Found" hint={hint(search.data.found?.length ?? 0, search.data.running)}>
          <FoundTable list={search.data.found ?? []} onAsk={setAsked} onAdd={(url) => setAdding({ url })} />
          {(search.data.notes ?? []).map((n) => (
            <Typography key={n} variant="body2" color="warning" sx={{ mt: 1 }}>
              {n}
            </Typography>
          ))}
        </Section>
      )}
      {asked && <StreamsDialog camera={asked} onClose={() => setAsked(null)} onAdd={setAdding} />}
      {adding && <AddDialog start={adding} onClose={() => setAdding(null)} />}
    </Stack>
  );
}

function hint(found: number, running: boolean): string {
  if (found > 0) return `${found} ${found === 1 ? "host" : "hosts"} answered${running ? " so far" : ""}.`;
  return running ? "Nothing has answered yet." : "Nothing answered. Cameras may be on another network, or have discovery switched off: try their network address by address.";
}
