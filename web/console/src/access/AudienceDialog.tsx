import Autocomplete from "@mui/material/Autocomplete";
import FormControlLabel from "@mui/material/FormControlLabel";
import Radio from "@mui/material/Radio";
import RadioGroup from "@mui/material/RadioGroup";
import Stack from "@mui/material/Stack";
import Switch from "@mui/material/Switch";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";

import { problemOf, type Feed } from "../api/client";
import { accountsQuery } from "../api/queries";
import { useFeedChange } from "../api/useFeedChange";
import { FormDialog } from "../parts/FormDialog";
import { audiences, deliveries, listOf, type Delivery, type Who } from "./audiences";

/** Changes who may watch a feed, where, and by what. */
export function AudienceDialog({ feed, onClose }: { feed: Feed; onClose: () => void }) {
  const accounts = useQuery(accountsQuery);
  const [who, setWho] = useState(feed.audience.who);
  const [named, setNamed] = useState(feed.audience.accounts);
  const [sites, setSites] = useState(feed.sites.join("\n"));
  const [off, setOff] = useState<Delivery[]>(feed.delivery.off);
  const save = useFeedChange(feed.name, onClose);
  const problem = save.isError ? problemOf(save.error) : undefined;
  const options = (accounts.data ?? []).filter((a) => a.role !== "engineer").map((a) => a.name);
  return (
    <FormDialog title={`Who may watch “${feed.title}”`} action="Save" pending={save.isPending} problem={problem} onSubmit={() => save.mutate({ audience: { who, accounts: named }, sites: listOf(sites), delivery: { ...feed.delivery, off } })} onClose={onClose}>
      <RadioGroup value={who} onChange={(_, v) => setWho(v as Who)} aria-label="Who may watch">
        {audiences.map((a) => (
          <FormControlLabel
            key={a.who}
            value={a.who}
            control={<Radio size="small" />}
            sx={{ alignItems: "start", mb: 0.5 }}
            label={
              <Stack sx={{ pt: 0.75 }}>
                <Typography variant="body2" sx={{ fontWeight: 600 }}>
                  {a.label}
                </Typography>
                <Typography variant="body2" color="textSecondary">
                  {a.means}
                </Typography>
              </Stack>
            }
          />
        ))}
      </RadioGroup>
      <Autocomplete
        multiple
        options={options}
        value={named}
        onChange={(_, list) => setNamed(list)}
        renderInput={(p) => (
          <TextField {...p} label="Accounts that may watch as well" error={Boolean(problem?.fields["audience.accounts"])} helperText={problem?.fields["audience.accounts"] ?? "Panels always have to stand here"} />
        )}
      />
      <TextField
        label="Sites whose pages may show it"
        value={sites}
        onChange={(e) => setSites(e.target.value)}
        multiline
        minRows={2}
        placeholder={"example.org\n*.example.org"}
        error={Boolean(problem?.fields.sites)}
        helperText={problem?.fields.sites ?? "One a line, such as example.org, *.example.org or https://example.org:8443; empty for all"}
      />
      <Stack>
        <Typography variant="subtitle2">Given by</Typography>
        <Stack direction="row" useFlexGap sx={{ flexWrap: "wrap", columnGap: 1 }}>
          {deliveries.map((d) => (
            <FormControlLabel
              key={d.key}
              control={<Switch size="small" checked={!off.includes(d.key)} onChange={(_, on) => setOff(on ? off.filter((k) => k !== d.key) : [...off, d.key])} />}
              label={d.label}
            />
          ))}
        </Stack>
      </Stack>
    </FormDialog>
  );
}
