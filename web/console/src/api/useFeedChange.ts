import { useMutation, useQueryClient } from "@tanstack/react-query";

import { client, dataOf, type FeedChange } from "./client";
import { feedsQuery } from "./queries";

/** Changes settings of a feed, by a merge patch (RFC 7396), and shows them everywhere. */
export function useFeedChange(feed: string, after?: () => void) {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: async (body: FeedChange) =>
      dataOf(await client.PATCH("/api/v1/feeds/{name}", { params: { path: { name: feed } }, headers: { "Content-Type": "application/merge-patch+json" }, body })),
    onSuccess: async () => {
      await queries.invalidateQueries({ queryKey: feedsQuery.queryKey });
      await queries.invalidateQueries({ queryKey: ["stills", feed] }); // of its schedules
      after?.();
    },
  });
}
