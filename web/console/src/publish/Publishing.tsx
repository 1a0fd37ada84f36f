import Alert from "@mui/material/Alert";
import Button from "@mui/material/Button";
import Stack from "@mui/material/Stack";
import Typography from "@mui/material/Typography";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";

import { client, dataOf, problemOf, type Feed } from "../api/client";
import { CopyLine } from "../parts/CopyLine";
import { ProblemBox } from "../parts/ProblemBox";
import { PassDialog } from "./PassDialog";
import { Publisher } from "./Publisher";

const publishingKey = (feed: string) => ["publishing", feed];

/** Where to send to a feed, who may, and who does. madeKey is a key that was just made. */
export function Publishing({ feed, madeKey }: { feed: Feed; madeKey?: string | undefined }) {
  const queries = useQueryClient();
  const [passing, setPassing] = useState(false);
  const params = { params: { path: { name: feed.name } } };
  const publishing = useQuery({
    queryKey: publishingKey(feed.name),
    queryFn: async () => dataOf(await client.GET("/api/v1/feeds/{name}/publishing", params)),
    staleTime: 60_000,
  });
  const renew = useMutation({
    mutationFn: async () => dataOf(await client.POST("/api/v1/feeds/{name}/publish-key", params)),
    onSuccess: () => queries.invalidateQueries({ queryKey: publishingKey(feed.name) }),
  });
  if (publishing.isError) return <ProblemBox problem={problemOf(publishing.error)} />;
  const p = publishing.data;
  if (!p) return null;
  const key = renew.data?.key ?? madeKey;
  const sends = feed.state === "live" || feed.state === "connecting";
  return (
    <Stack spacing={2}>
      {feed.publish.open ? (
        <Alert severity="warning" variant="outlined">
          {p.means}
        </Alert>
      ) : (
        <Typography variant="body2">
          {p.means} Who comes second {feed.publish.takeOver ? "takes over" : "is refused"}.
        </Typography>
      )}
      {sends && <Publisher feed={feed.name} />}
      {key && (
        <Alert severity="success" variant="outlined">
          <CopyLine label="Key, shown only now" text={key} />
        </Alert>
      )}
      {p.destinations.map((d) => (
        <Stack key={d.address}>
          <CopyLine label={`Send by ${d.protocol}`} text={d.address} />
          <Typography variant="caption" color="textSecondary">
            {d.key}
          </Typography>
        </Stack>
      ))}
      <Stack direction="row" spacing={1} useFlexGap sx={{ flexWrap: "wrap" }}>
        <Button variant="contained" onClick={() => setPassing(true)}>
          Use a phone or laptop
        </Button>
        <Button loading={renew.isPending} onClick={() => renew.mutate()}>
          Make another key
        </Button>
      </Stack>
      {!key && (
        <Typography variant="caption" color="textSecondary">
          Another key cuts off who sends by the one before, and ends all passes.
        </Typography>
      )}
      {renew.isError && <ProblemBox problem={problemOf(renew.error)} />}
      {passing && <PassDialog feed={feed.name} onClose={() => setPassing(false)} />}
    </Stack>
  );
}
