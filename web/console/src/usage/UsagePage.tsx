import DownloadIcon from "@mui/icons-material/DownloadOutlined";
import Button from "@mui/material/Button";
import LinearProgress from "@mui/material/LinearProgress";
import Paper from "@mui/material/Paper";
import Skeleton from "@mui/material/Skeleton";
import Stack from "@mui/material/Stack";
import Table from "@mui/material/Table";
import TableBody from "@mui/material/TableBody";
import TableCell from "@mui/material/TableCell";
import TableHead from "@mui/material/TableHead";
import TableRow from "@mui/material/TableRow";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";

import { at } from "../api/base";
import { problemOf } from "../api/client";
import { sized } from "../look/numbers";
import { ProblemBox } from "../parts/ProblemBox";
import { Section } from "../parts/Section";
import { usageQuery, type Usage } from "../record/queries";
import { AllowanceDialog } from "./AllowanceDialog";
import { UsageChart } from "./UsageChart";

const day = (back: number): string => new Date(Date.now() - back * 86_400_000).toISOString().slice(0, 10);

/** What viewers took: by day, by feed, and of the month's allowance. */
export function UsagePage() {
  const [from, setFrom] = useState(day(29));
  const [to, setTo] = useState(day(0));
  const [setting, setSetting] = useState(false);
  const { data, error, isPending } = useQuery(usageQuery(from, to));
  return (
    <Stack spacing={2.5}>
      <Stack direction={{ xs: "column", sm: "row" }} spacing={1.5} sx={{ alignItems: { sm: "center" } }}>
        <Typography variant="h1" sx={{ flex: 1 }}>
          Usage
        </Typography>
        <TextField fullWidth={false} size="small" type="date" label="From" value={from} onChange={(e) => setFrom(e.target.value)} />
        <TextField fullWidth={false} size="small" type="date" label="To" value={to} onChange={(e) => setTo(e.target.value)} />
        <Button startIcon={<DownloadIcon />} href={at(`/api/v1/usage.csv?from=${from}&to=${to}`)}>
          CSV
        </Button>
      </Stack>
      {isPending && <Skeleton variant="rounded" height={260} />}
      {error && <ProblemBox problem={problemOf(error)} />}
      {data && (
        <>
          <Allowance usage={data} onSet={() => setSetting(true)} />
          <Section title="Sent to viewers" hint={`${sized(data.bytes)} and ${data.viewerHours.toFixed(1)} viewer hours in this time. Days are of UTC; what viewers get from a cache in front is not in it.`}>
            <UsageChart usage={data} />
          </Section>
          <Totals usage={data} />
          {setting && <AllowanceDialog allowance={data.allowance} onClose={() => setSetting(false)} />}
        </>
      )}
    </Stack>
  );
}

function Allowance({ usage, onSet }: { usage: Usage; onSet: () => void }) {
  const { bytes, stop } = usage.allowance;
  const share = bytes > 0 ? usage.monthBytes / bytes : 0;
  const beyond = stop ? "Beyond it no new viewers are let in, but those who have signed in or have a link." : "Beyond it there is a warning.";
  return (
    <Section
      title="This month"
      hint={bytes > 0 ? `${sized(usage.monthBytes)} of ${sized(bytes)} are sent. ${beyond}` : `${sized(usage.monthBytes)} are sent. There is no allowance.`}
      action={
        <Button size="small" onClick={onSet}>
          Set an allowance
        </Button>
      }
    >
      {bytes > 0 && <LinearProgress variant="determinate" value={Math.min(100, share * 100)} color={share >= 1 ? "error" : share >= 0.8 ? "warning" : "success"} aria-label={`${(share * 100).toFixed(0)} % of the allowance are used`} sx={{ height: 8, borderRadius: 1 }} />}
    </Section>
  );
}

function Totals({ usage }: { usage: Usage }) {
  if (!usage.totals?.length) return <Typography color="textSecondary">Nobody has watched in this time.</Typography>;
  return (
    <Paper sx={{ overflowX: "auto" }}>
      <Table size="small">
        <TableHead>
          <TableRow>
            <TableCell>Feed</TableCell>
            <TableCell align="right">Sent</TableCell>
            <TableCell align="right">Viewer hours</TableCell>
            <TableCell align="right">Most at once</TableCell>
          </TableRow>
        </TableHead>
        <TableBody>
          {usage.totals.map((t) => (
            <TableRow key={t.feed}>
              <TableCell>{t.feed}</TableCell>
              <TableCell align="right">{sized(t.bytes)}</TableCell>
              <TableCell align="right">{t.viewerHours.toFixed(1)}</TableCell>
              <TableCell align="right">{t.mostViewers}</TableCell>
            </TableRow>
          ))}
        </TableBody>
      </Table>
    </Paper>
  );
}
