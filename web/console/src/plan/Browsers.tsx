import Table from "@mui/material/Table";
import TableBody from "@mui/material/TableBody";
import TableCell from "@mui/material/TableCell";
import TableContainer from "@mui/material/TableContainer";
import TableHead from "@mui/material/TableHead";
import TableRow from "@mui/material/TableRow";
import Typography from "@mui/material/Typography";

import { Section } from "../parts/Section";
import { names, type Plan } from "./usePlan";

/** What each engine plays, from the tests of this product. */
export function Browsers({ plan }: { plan: Plan }) {
  const list = plan.deliveries ?? [];
  return (
    <Section title="Browsers" hint="What was tested with this product, and how each engine plays it.">
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
                    <Typography variant="body2" color="textSecondary">
                      {p.how}
                    </Typography>
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
