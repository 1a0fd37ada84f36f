import Table from "@mui/material/Table";
import TableBody from "@mui/material/TableBody";
import TableCell from "@mui/material/TableCell";
import TableContainer from "@mui/material/TableContainer";
import TableHead from "@mui/material/TableHead";
import TableRow from "@mui/material/TableRow";
import Typography from "@mui/material/Typography";

import type { ReactNode } from "react";

import { Section } from "../parts/Section";
import { seconds } from "./Summary";
import { names, type Plan } from "./usePlan";

/** What each engine plays, from the tests of this product and from what viewers' players reported. */
export function Browsers({ plan, action }: { plan: Plan; action: ReactNode }) {
  const list = plan.deliveries ?? [];
  return (
    <Section title="Browsers" hint="What was tested with this product, how each engine plays it, and what viewers' players reported in the last seven days." action={action}>
      <TableContainer>
        <Table size="small">
          <TableHead>
            <TableRow>
              <TableCell>Delivery</TableCell>
              {(list[0]?.players ?? []).map((p) => (
                <TableCell key={p.engine}>
                  {p.engine} {p.version}
                </TableCell>
              ))}
            </TableRow>
          </TableHead>
          <TableBody>
            {list.map((d) => (
              <TableRow key={d.delivery}>
                <TableCell>{names[d.delivery]}</TableCell>
                {(d.players ?? []).map((p) => (
                  <TableCell key={p.engine}>
                    <strong>{p.plays ? "Yes" : "No"}</strong>
                    {p.plays && `, ${seconds(p.seconds)} behind`}
                    <Typography variant="body2" color="textSecondary">
                      {p.how}
                    </Typography>
                    {p.reported && <Reported of={p.reported} />}
                  </TableCell>
                ))}
              </TableRow>
            ))}
          </TableBody>
        </Table>
      </TableContainer>
    </Section>
  );
}

type Reports = NonNullable<NonNullable<NonNullable<NonNullable<Plan["deliveries"]>[number]["players"]>[number]["reported"]>>;

/** What viewers' players told. */
function Reported({ of: r }: { of: Reports }) {
  const tries = r.plays + r.failures;
  const parts = [`${r.plays} of ${tries} played`];
  if (r.hours > 0) parts.push(`${r.hours.toFixed(1)} h, ${r.stallsAnHour.toFixed(1)} stalls an hour`);
  if (r.delaySeconds) parts.push(`${seconds(r.delaySeconds)} behind`);
  if (r.h265Plays + r.h265Cannot > 0) parts.push(`H.265 in ${r.h265Plays} of ${r.h265Plays + r.h265Cannot}`);
  return (
    <Typography variant="body2" color={r.failures > r.plays ? "warning" : "info"} data-reported={r.plays}>
      Viewers: {parts.join("; ")}
    </Typography>
  );
}
