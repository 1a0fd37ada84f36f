import Alert from "@mui/material/Alert";
import Paper from "@mui/material/Paper";
import Skeleton from "@mui/material/Skeleton";
import Stack from "@mui/material/Stack";
import Table from "@mui/material/Table";
import TableBody from "@mui/material/TableBody";
import TableCell from "@mui/material/TableCell";
import TableHead from "@mui/material/TableHead";
import TableRow from "@mui/material/TableRow";
import Typography from "@mui/material/Typography";
import { useQuery } from "@tanstack/react-query";

import { problemOf } from "../api/client";
import { CopyButton } from "../parts/CopyLine";
import { ProblemBox } from "../parts/ProblemBox";
import { Check } from "./Check";
import { reachQuery, type ReachPort } from "./queries";
import { RouterRules } from "./RouterRules";

/** How the service is come to: its ports, what a router has to pass on, and what gets through. */
export function WaysInPage() {
  const { data, error, isPending } = useQuery(reachQuery);
  return (
    <Stack spacing={2.5}>
      <div>
        <Typography variant="h1">Ways in</Typography>
        {data && (
          <Typography color="textSecondary" variant="body2">
            {data.outside ? `Viewers outside come by ${data.outside}` : "It is not set what viewers outside come by"}
            {data.inside?.length ? ` · this machine is ${data.inside.join(", ")} in its network` : ""}
          </Typography>
        )}
      </div>
      {isPending && <Skeleton variant="rounded" height={220} />}
      {error && <ProblemBox problem={problemOf(error)} />}
      {data?.notes?.map((n) => (
        <Alert key={n} severity="warning" variant="outlined" sx={{ py: 0 }}>
          {n}
        </Alert>
      ))}
      {data && <Check />}
      {data && <Ports ports={data.ports ?? []} />}
      {data?.rules && <RouterRules rules={data.rules} />}
    </Stack>
  );
}

const whom: Record<ReachPort["whom"], string> = { viewers: "viewers", engineers: "engineers only", publishers: "publishers only" };

function Ports({ ports }: { ports: ReachPort[] }) {
  const text = ports.filter((p) => p.rule && p.whom === "viewers").map((p) => `${p.rule}   (${p.for})`).join("\n");
  return (
    <Paper sx={{ overflowX: "auto" }}>
      <Stack direction="row" sx={{ alignItems: "center", px: 2, pt: 1.5 }}>
        <Typography variant="h2" sx={{ flex: 1 }}>
          Ports
        </Typography>
        {text && <CopyButton label="the rules that viewers need" text={text} />}
      </Stack>
      <Table size="small">
        <TableHead sx={{ "& th": { whiteSpace: "nowrap" } }}>
          <TableRow>
            <TableCell sx={{ minWidth: "14em" }}>What comes by it</TableCell>
            <TableCell>Listens on</TableCell>
            <TableCell>Open</TableCell>
            <TableCell>Rule of the router</TableCell>
            <TableCell>Who outside needs it</TableCell>
          </TableRow>
        </TableHead>
        <TableBody>
          {ports.map((p) => (
            <TableRow key={p.for + p.protocol + p.listen}>
              <TableCell>{p.for}</TableCell>
              <TableCell sx={{ whiteSpace: "nowrap" }}>
                {p.protocol} {p.listen}
              </TableCell>
              <TableCell sx={{ color: p.open ? "success.main" : "text.secondary" }}>{p.open ? "yes" : `no: ${p.why ?? ""}`}</TableCell>
              <TableCell>{p.rule ?? "–"}</TableCell>
              <TableCell>{p.who === "machine" ? "nobody: this machine only" : whom[p.whom]}</TableCell>
            </TableRow>
          ))}
        </TableBody>
      </Table>
    </Paper>
  );
}
