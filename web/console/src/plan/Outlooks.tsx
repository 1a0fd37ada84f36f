import Table from "@mui/material/Table";
import TableBody from "@mui/material/TableBody";
import TableCell from "@mui/material/TableCell";
import TableContainer from "@mui/material/TableContainer";
import TableHead from "@mui/material/TableHead";
import TableRow from "@mui/material/TableRow";
import Tooltip from "@mui/material/Tooltip";
import type { ReactNode } from "react";

import { bits, share } from "../look/numbers";
import { Section } from "../parts/Section";
import type { Measured } from "./Measure";
import { seconds } from "./Summary";
import { names, type Outlook, type Plan } from "./usePlan";

/** Each delivery in a line: what is expected, and what was measured. */
export function Outlooks({ plan, measured, action, children }: { plan: Plan; measured: Measured; action: ReactNode; children: ReactNode }) {
  const now = plan.measured;
  const hint = now
    ? `Now: ${bits(now.bitRate)} come from the camera, ${now.viewers} watch, transcoding takes ${share(now.processor)} of a core. The service's machine has ${plan.cores}.`
    : undefined;
  return (
    <Section title="Delivery by delivery" hint={hint} action={action}>
      {children}
      <TableContainer>
        <Table size="small">
          <TableHead>
            <TableRow>
              <TableCell>Delivery</TableCell>
              <TableCell>Video</TableCell>
              <TableCell align="right">Expected</TableCell>
              <TableCell align="right">Measured here</TableCell>
              <TableCell align="right">A viewer</TableCell>
              <TableCell align="right">All {plan.viewers}</TableCell>
              <TableCell align="right">An hour</TableCell>
              <TableCell align="right">30 days</TableCell>
              <TableCell align="right">Processor</TableCell>
              <TableCell align="right">Uplink carries</TableCell>
            </TableRow>
          </TableHead>
          <TableBody>
            {(plan.deliveries ?? []).map((d) => (
              <Line key={d.delivery} d={d} measured={measured[d.delivery]} best={d.delivery === plan.best} />
            ))}
          </TableBody>
        </Table>
      </TableContainer>
    </Section>
  );
}

function Line({ d, measured, best }: { d: Outlook; measured: number | null | undefined; best: boolean }) {
  const video = !d.possible ? "cannot be had here" : d.transcode ? "transcoded" : "passes through";
  return (
    <TableRow data-delivery={d.delivery} data-expected={d.seconds} data-measured={measured ?? ""} sx={{ "& td": { fontVariantNumeric: "tabular-nums" } }}>
      <TableCell sx={{ fontWeight: best ? 700 : 400 }}>{names[d.delivery]}</TableCell>
      <TableCell>
        <Tooltip title={`${d.why}. ${d.audio}`}>
          <span>{video}</span>
        </Tooltip>
      </TableCell>
      <TableCell align="right" sx={{ color: d.keeps ? undefined : "warning.main" }}>
        {seconds(d.seconds)}
      </TableCell>
      <TableCell align="right">{measured === undefined ? "" : measured === null ? "–" : seconds(measured / 1000)}</TableCell>
      <TableCell align="right">{bits(d.bitRate)}</TableCell>
      <TableCell align="right">{bits(d.totalBitRate)}</TableCell>
      <TableCell align="right">{volume(d.hourBytes)}</TableCell>
      <TableCell align="right">{volume(d.monthBytes)}</TableCell>
      <TableCell align="right">{share(d.processor)}</TableCell>
      <TableCell align="right">{d.mostViewers ?? ""}</TableCell>
    </TableRow>
  );
}

function volume(bytes: number): string {
  if (bytes < 1e9) return `${(bytes / 1e6).toFixed(0)} MB`;
  return bytes < 1e12 ? `${(bytes / 1e9).toFixed(1)} GB` : `${(bytes / 1e12).toFixed(1)} TB`;
}
