import Button from "@mui/material/Button";
import Stack from "@mui/material/Stack";
import Typography from "@mui/material/Typography";
import { useMutation, useQueryClient } from "@tanstack/react-query";

import { client, dataOf, problemOf } from "../api/client";
import { feedsQuery } from "../api/queries";
import { ProblemBox } from "../parts/ProblemBox";

/** A feed whose camera is at another address than before: one press sets it there. */
export function Moved({ feed }: { feed: string }) {
  const queries = useQueryClient();
  const follow = useMutation({
    mutationFn: async () => dataOf(await client.POST("/api/v1/feeds/{name}/camera/follow", { params: { path: { name: feed } } })),
    onSuccess: () => queries.invalidateQueries({ queryKey: feedsQuery.queryKey }),
  });
  return (
    <Stack spacing={0.5} data-moved={feed} sx={{ alignItems: "start" }}>
      <Typography variant="body2">{follow.isSuccess ? `${feed} is set to this address.` : `The camera of ${feed}, at another address than before.`}</Typography>
      {!follow.isSuccess && (
        <Button size="small" variant="outlined" loading={follow.isPending} onClick={() => follow.mutate()}>
          Set {feed} to it
        </Button>
      )}
      {follow.isError && <ProblemBox problem={problemOf(follow.error)} />}
    </Stack>
  );
}
