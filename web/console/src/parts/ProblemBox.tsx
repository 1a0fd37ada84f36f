import Alert from "@mui/material/Alert";
import AlertTitle from "@mui/material/AlertTitle";
import Typography from "@mui/material/Typography";

import type { Problem } from "../api/client";

export function ProblemBox({ problem }: { problem: Problem }) {
  return (
    <Alert severity="error" variant="outlined">
      <AlertTitle>{problem.message}</AlertTitle>
      {problem.remedy}
      {problem.code && (
        <Typography component="div" variant="caption" color="textSecondary">
          {problem.code}
        </Typography>
      )}
    </Alert>
  );
}
