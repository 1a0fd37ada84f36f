import Button from "@mui/material/Button";
import Link from "@mui/material/Link";
import Table from "@mui/material/Table";
import TableBody from "@mui/material/TableBody";
import TableCell from "@mui/material/TableCell";
import TableContainer from "@mui/material/TableContainer";
import TableHead from "@mui/material/TableHead";
import TableRow from "@mui/material/TableRow";
import Typography from "@mui/material/Typography";
import { Link as RouterLink } from "react-router";

import type { components } from "../api/schema.gen";
import { Moved } from "./Moved";

export type FoundCamera = components["schemas"]["FoundCamera"];

interface Props {
  list: readonly FoundCamera[];
  onAsk: (camera: FoundCamera) => void;
  onAdd: (url: string) => void;
}

/** What answered a search, and how to go on with it. */
export function FoundTable({ list, onAsk, onAdd }: Props) {
  if (list.length === 0) return null;
  return (
    <TableContainer>
      <Table size="small">
        <TableHead>
          <TableRow>
            <TableCell>Camera</TableCell>
            <TableCell>Host</TableCell>
            <TableCell>Answered by</TableCell>
            <TableCell>Feeds</TableCell>
            <TableCell />
          </TableRow>
        </TableHead>
        <TableBody>
          {list.map((f) => (
            <TableRow key={`${f.host} ${f.id ?? ""}`} data-found={f.name ?? f.host}>
              <TableCell>
                <strong>{f.name || "Does not say its name"}</strong>
                <Typography variant="body2" color="textSecondary">
                  {[f.hardware, f.location].filter(Boolean).join(" · ")}
                </Typography>
                {f.odd && (
                  <Typography variant="body2" color="warning">
                    {f.odd}
                  </Typography>
                )}
              </TableCell>
              <TableCell>{f.host}</TableCell>
              <TableCell>{(f.ways ?? []).join(", ")}</TableCell>
              <TableCell>
                {(f.feeds ?? []).map((name) => (
                  <Link key={name} component={RouterLink} to={`/feeds/${name}`} sx={{ mr: 1 }}>
                    {name}
                  </Link>
                ))}
                {(f.moved ?? []).map((name) => (
                  <Moved key={name} feed={name} />
                ))}
              </TableCell>
              <TableCell align="right">
                <Next camera={f} onAsk={onAsk} onAdd={onAdd} />
              </TableCell>
            </TableRow>
          ))}
        </TableBody>
      </Table>
    </TableContainer>
  );
}

function Next({ camera, onAsk, onAdd }: { camera: FoundCamera } & Omit<Props, "list">) {
  const stream = camera.streams?.[0];
  if (camera.device)
    return (
      <Button size="small" onClick={() => onAsk(camera)}>
        Ask for its streams
      </Button>
    );
  if (stream)
    return (
      <Button size="small" onClick={() => onAdd(stream)}>
        Look into it
      </Button>
    );
  return camera.pages?.[0] ? (
    <Button size="small" href={camera.pages[0]} target="_blank" rel="noreferrer">
      Open its page
    </Button>
  ) : null;
}
