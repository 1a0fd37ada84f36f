import Alert from "@mui/material/Alert";
import Button from "@mui/material/Button";
import FormControlLabel from "@mui/material/FormControlLabel";
import MenuItem from "@mui/material/MenuItem";
import Stack from "@mui/material/Stack";
import Switch from "@mui/material/Switch";
import TextField from "@mui/material/TextField";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState, type FormEvent } from "react";

import { client, dataOf, problemOf } from "../api/client";
import { ProblemBox } from "../parts/ProblemBox";
import { Section } from "../parts/Section";
import { alertsQuery, type AlertSettings } from "./queries";

const words = (text: string): string[] => text.split(/[\s,]+/).filter(Boolean);

type Set = (change: Partial<AlertSettings>) => void;

export function AlertsForm({ settings }: { settings: AlertSettings }) {
  const [values, setValues] = useState(settings);
  const set: Set = (change) => setValues((v) => ({ ...v, ...change }));
  const queries = useQueryClient();
  const save = useMutation({
    mutationFn: async () => dataOf(await client.PUT("/api/v1/alerts", { body: values })),
    onSuccess: (now) => {
      queries.setQueryData(alertsQuery.queryKey, now);
      setValues(now);
    },
  });
  const test = useMutation({ mutationFn: async () => dataOf(await client.POST("/api/v1/alerts/test")) });
  const submit = (e: FormEvent) => {
    e.preventDefault();
    save.mutate();
  };
  return (
    <Stack component="form" spacing={2.5} onSubmit={submit}>
      <What values={values} set={set} />
      <Webhook values={values} set={set} />
      <Mail values={values} set={set} />
      <Quiet values={values} set={set} />
      {save.isError && <ProblemBox problem={problemOf(save.error)} />}
      {test.isError && <ProblemBox problem={problemOf(test.error)} />}
      {save.isSuccess && <Alert severity="success">It is set.</Alert>}
      {test.data?.results?.map((r) => (
        <Alert key={r.by} severity={r.trouble ? "error" : "success"}>
          {r.by}: {r.trouble ?? "the test was taken"}
        </Alert>
      ))}
      <Stack direction="row" spacing={1}>
        <Button type="submit" variant="contained" loading={save.isPending}>
          Set
        </Button>
        <Button loading={test.isPending} onClick={() => test.mutate()}>
          Send a test
        </Button>
      </Stack>
    </Stack>
  );
}

interface PartProps {
  values: AlertSettings;
  set: Set;
}

function What({ values, set }: PartProps) {
  const number = (label: string, key: "downMinutes" | "diskPercent" | "certificateDays", help: string) => (
    <TextField fullWidth type="number" label={label} value={values[key] ?? 0} onChange={(e) => set({ [key]: Number(e.target.value) })} helperText={help} slotProps={{ htmlInput: { min: 0, step: "any" } }} />
  );
  return (
    <Section title="Of what">
      <Stack spacing={2}>
        <Stack direction={{ xs: "column", sm: "row" }} spacing={2}>
          {number("A feed is down for, minutes", "downMinutes", "0 for not at all")}
          {number("The disk has less free than, %", "diskPercent", "0 for not at all")}
          {number("The certificate ends within, days", "certificateDays", "0 for not at all")}
        </Stack>
        <Stack direction={{ xs: "column", sm: "row" }} spacing={2}>
          <TextField fullWidth label="Only these feeds" value={(values.feeds ?? []).join(" ")} onChange={(e) => set({ feeds: words(e.target.value) })} helperText="Empty for all" />
          <TextField fullWidth label="Only feeds with these tags" value={(values.tags ?? []).join(" ")} onChange={(e) => set({ tags: words(e.target.value) })} helperText="Empty for all" />
        </Stack>
        <FormControlLabel control={<Switch checked={values.allowance ?? false} onChange={(_, on) => set({ allowance: on })} />} label="The month's allowance is nearly used" />
        <FormControlLabel control={<Switch checked={values.recordings ?? false} onChange={(_, on) => set({ recordings: on })} />} label="A feed cannot be recorded" />
        <FormControlLabel control={<Switch checked={values.motion ?? false} onChange={(_, on) => set({ motion: on })} />} label="Something moves in a feed that is recorded on motion" />
      </Stack>
    </Section>
  );
}

function Webhook({ values, set }: PartProps) {
  const hook = values.webhook ?? { signed: false };
  return (
    <Section title="Webhook" hint="Messages are posted as JSON, signed by HMAC-SHA256 where there is a secret.">
      <Stack direction={{ xs: "column", sm: "row" }} spacing={2}>
        <TextField fullWidth label="Address" value={hook.url ?? ""} onChange={(e) => set({ webhook: { ...hook, url: e.target.value.trim() } })} placeholder="https://hooks.example.org/cameras" />
        <TextField fullWidth type="password" autoComplete="off" label={hook.signed ? "Another secret" : "Secret"} value={hook.secret ?? ""} onChange={(e) => set({ webhook: { ...hook, secret: e.target.value } })} helperText={hook.signed ? "There is one; it stays when this is empty" : "Empty leaves messages unsigned"} />
      </Stack>
    </Section>
  );
}

function Mail({ values, set }: PartProps) {
  const mail: NonNullable<AlertSettings["mail"]> = values.mail ?? { security: "starttls" };
  const change = (m: Partial<typeof mail>) => set({ mail: { ...mail, ...m } });
  return (
    <Section title="E-mail">
      <Stack spacing={2}>
        <Stack direction={{ xs: "column", sm: "row" }} spacing={2}>
          <TextField fullWidth label="Mail server" value={mail.server ?? ""} onChange={(e) => change({ server: e.target.value.trim() })} placeholder="mail.example.org:587" helperText="Empty for no e-mail" />
          <TextField select fullWidth label="Security" value={mail.security ?? "starttls"} onChange={(e) => change({ security: e.target.value as "starttls" | "tls" | "none" })}>
            <MenuItem value="starttls">STARTTLS</MenuItem>
            <MenuItem value="tls">TLS from the beginning</MenuItem>
            <MenuItem value="none">None, for a server on this network</MenuItem>
          </TextField>
        </Stack>
        <Stack direction={{ xs: "column", sm: "row" }} spacing={2}>
          <TextField fullWidth label="User" autoComplete="off" value={mail.user ?? ""} onChange={(e) => change({ user: e.target.value })} />
          <TextField fullWidth type="password" autoComplete="off" label="Password" value={mail.password ?? ""} onChange={(e) => change({ password: e.target.value })} helperText="Stays as it is when this is empty" />
        </Stack>
        <Stack direction={{ xs: "column", sm: "row" }} spacing={2}>
          <TextField fullWidth label="From" value={mail.from ?? ""} onChange={(e) => change({ from: e.target.value.trim() })} placeholder="cameras@example.org" />
          <TextField fullWidth label="To" value={(mail.to ?? []).join(" ")} onChange={(e) => change({ to: words(e.target.value) })} placeholder="duty@example.org" />
        </Stack>
      </Stack>
    </Section>
  );
}

function Quiet({ values, set }: PartProps) {
  return (
    <Section title="Quiet time" hint="In it nobody is told; what was wrong meanwhile is told at its end. By the clock of the service's machine.">
      <Stack direction="row" spacing={2}>
        <TextField fullWidth={false} type="time" label="From" value={values.quietFrom ?? ""} onChange={(e) => set({ quietFrom: e.target.value })} slotProps={{ inputLabel: { shrink: true } }} />
        <TextField fullWidth={false} type="time" label="To" value={values.quietTo ?? ""} onChange={(e) => set({ quietTo: e.target.value })} slotProps={{ inputLabel: { shrink: true } }} />
        {(values.quietFrom || values.quietTo) && <Button onClick={() => set({ quietFrom: "", quietTo: "" })}>None</Button>}
      </Stack>
    </Section>
  );
}
