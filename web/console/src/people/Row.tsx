import Box from "@mui/material/Box";
import Stack from "@mui/material/Stack";
import Typography from "@mui/material/Typography";
import type { ReactNode } from "react";

/** One line of a list: what it is, more about it, and what can be done to it. */
export function Row({ title, more, actions }: { title: ReactNode; more: string; actions?: ReactNode }) {
  return (
    <Box component="li" sx={{ display: "flex", gap: 1, alignItems: "center", py: 1, borderTop: 1, borderColor: "divider" }}>
      <Stack sx={{ flex: 1, minWidth: 0 }}>
        <Typography variant="body2" component="div" sx={{ fontWeight: 600, overflowWrap: "anywhere" }}>
          {title}
        </Typography>
        <Typography variant="caption" color="textSecondary" sx={{ overflowWrap: "anywhere" }}>
          {more}
        </Typography>
      </Stack>
      {actions}
    </Box>
  );
}

export function List({ children }: { children: ReactNode }) {
  return (
    <Box component="ul" sx={{ listStyle: "none", m: 0, p: 0, "& > li:first-of-type": { borderTop: 0 } }}>
      {children}
    </Box>
  );
}
