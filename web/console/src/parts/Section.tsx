import Paper from "@mui/material/Paper";
import Stack from "@mui/material/Stack";
import Typography from "@mui/material/Typography";
import type { ReactNode } from "react";

export function Section({ title, hint, action, children }: { title: string; hint?: string; action?: ReactNode; children: ReactNode }) {
  return (
    <Paper component="section" sx={{ p: 2 }}>
      <Stack direction="row" spacing={2} useFlexGap sx={{ justifyContent: "space-between", alignItems: "start", flexWrap: "wrap", mb: 1.25 }}>
        <Stack sx={{ minWidth: 0, flex: "1 1 20rem" }}>
          <Typography variant="h2">{title}</Typography>
          {hint && (
            <Typography variant="body2" color="textSecondary">
              {hint}
            </Typography>
          )}
        </Stack>
        {action}
      </Stack>
      {children}
    </Paper>
  );
}
