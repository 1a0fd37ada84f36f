import Skeleton from "@mui/material/Skeleton";
import Stack from "@mui/material/Stack";
import Typography from "@mui/material/Typography";
import { useQuery } from "@tanstack/react-query";

import { problemOf } from "../api/client";
import { ProblemBox } from "../parts/ProblemBox";
import { AlertsForm } from "./AlertsForm";
import { alertsQuery } from "./queries";

/** Of what somebody is told, who, how and when. */
export function AlertsPage() {
  const { data, error, isPending } = useQuery(alertsQuery);
  return (
    <Stack spacing={2.5} sx={{ maxWidth: 860 }}>
      <div>
        <Typography variant="h1">Alerts</Typography>
        <Typography variant="body2" color="textSecondary">
          What comes within a minute is told in one message. Once it is over, that is told, too.
        </Typography>
      </div>
      {isPending && <Skeleton variant="rounded" height={320} />}
      {error && <ProblemBox problem={problemOf(error)} />}
      {data && <AlertsForm settings={data} />}
    </Stack>
  );
}
