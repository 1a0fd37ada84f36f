import FormControlLabel from "@mui/material/FormControlLabel";
import Switch from "@mui/material/Switch";
import { useQuery } from "@tanstack/react-query";

import { problemOf } from "../api/client";
import { feedsQuery } from "../api/queries";
import { useFeedChange } from "../api/useFeedChange";
import { ProblemBox } from "../parts/ProblemBox";

/** Lets viewers' players tell how a feed plays. */
export function LetReport({ feed }: { feed: string }) {
  const feeds = useQuery(feedsQuery);
  const on = feeds.data?.find((f) => f.name === feed)?.reports ?? false;
  const change = useFeedChange(feed);
  return (
    <>
      <FormControlLabel
        control={<Switch size="small" checked={on} disabled={change.isPending} onChange={(_, wanted) => change.mutate({ reports: wanted })} />}
        label="Let viewers' players report"
      />
      {change.isError && <ProblemBox problem={problemOf(change.error)} />}
    </>
  );
}
