import FormControlLabel from "@mui/material/FormControlLabel";
import Switch from "@mui/material/Switch";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";

import { client, dataOf, problemOf } from "../api/client";
import { feedsQuery } from "../api/queries";
import { ProblemBox } from "../parts/ProblemBox";

/** Lets viewers' players tell how a feed plays. */
export function LetReport({ feed }: { feed: string }) {
  const queries = useQueryClient();
  const feeds = useQuery(feedsQuery);
  const on = feeds.data?.find((f) => f.name === feed)?.reports ?? false;
  const change = useMutation({
    mutationFn: async (reports: boolean) =>
      dataOf(await client.PATCH("/api/v1/feeds/{name}", { params: { path: { name: feed } }, headers: { "Content-Type": "application/merge-patch+json" }, body: { reports } })),
    onSuccess: () => queries.invalidateQueries({ queryKey: feedsQuery.queryKey }),
  });
  return (
    <>
      <FormControlLabel
        control={<Switch size="small" checked={on} disabled={change.isPending} onChange={(_, wanted) => change.mutate(wanted)} />}
        label="Let viewers' players report"
      />
      {change.isError && <ProblemBox problem={problemOf(change.error)} />}
    </>
  );
}
