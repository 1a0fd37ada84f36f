import ArrowBackIcon from "@mui/icons-material/ArrowBack";
import RepeatIcon from "@mui/icons-material/Repeat";
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Stack from "@mui/material/Stack";
import Typography from "@mui/material/Typography";
import { queryOptions, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { Link, useParams } from "react-router";

import { client, dataOf, problemOf, type Me } from "../api/client";
import { feedsQuery } from "../api/queries";
import type { components } from "../api/schema.gen";
import { Player } from "../feed/Player";
import { useLiveState } from "../live/Live";
import { span } from "../look/numbers";
import { ProblemBox } from "../parts/ProblemBox";

type TurnSource = components["schemas"]["TurnSource"];

const turnQuery = (name: string) =>
  queryOptions({
    queryKey: ["turn", name],
    queryFn: async ({ signal }) => dataOf(await client.GET("/api/v1/feeds/{name}/turn", { params: { path: { name } }, signal })),
    refetchInterval: 1000,
  });

function whenOff({ state, available, seconds }: TurnSource): string {
  if (!available) return `${state}: passed over`;
  return state === "idle" ? `${seconds} s at a time, idle until its turn` : `${seconds} s at a time`;
}

/** Who is on in a feed that takes turns, and large buttons to put another on: for a phone, too. */
export function TurnsPage({ me }: { me: Me }) {
  const { name = "" } = useParams();
  const { now } = useLiveState();
  const feed = useQuery(feedsQuery).data?.find((f) => f.name === name);
  const { data, error } = useQuery(turnQuery(name));
  const queries = useQueryClient();
  const put = useMutation({
    mutationFn: async (source: string) => dataOf(await client.PUT("/api/v1/feeds/{name}/turn", { params: { path: { name } }, body: { feed: source } })),
    onSettled: () => queries.invalidateQueries({ queryKey: ["turn", name] }),
  });
  const failed = put.error ?? error;
  const may = me.role === "engineer";
  return (
    <Stack spacing={2} sx={{ maxWidth: 760 }}>
      <Button component={Link} to={`/feeds/${name}`} startIcon={<ArrowBackIcon />} sx={{ alignSelf: "start", ml: -1 }}>
        {feed?.title ?? name}
      </Button>
      <Typography variant="h1">Whose turn it is</Typography>
      <Box sx={{ "& webostrum-player": { display: "block", aspectRatio: "16/9" } }}>
        <Player feed={name} label={feed?.title ?? name} />
      </Box>
      {failed && <ProblemBox problem={problemOf(failed)} />}
      <Box sx={{ display: "grid", gap: 1.5, gridTemplateColumns: "repeat(auto-fit, minmax(min(200px, 100%), 1fr))" }}>
        {data?.sources?.map((s) => {
          const on = s.feed === data.on;
          const coming = data.held === s.feed && !on;
          return (
            <Button
              key={s.feed}
              variant={on ? "contained" : "outlined"}
              disabled={!may || (!s.available && !on)}
              loading={put.isPending && put.variables === s.feed}
              aria-pressed={on}
              onClick={() => put.mutate(s.feed)}
              sx={{ minHeight: 84, flexDirection: "column", fontSize: "1.05rem" }}
            >
              {s.title}
              <Typography component="span" variant="caption" sx={{ opacity: 0.85 }}>
                {on ? `on for ${span(data.since ?? "", now)}${data.held === s.feed ? ", put on by hand" : ""}` : coming ? "comes on" : whenOff(s)}
              </Typography>
            </Button>
          );
        })}
      </Box>
      {may && (
        <Button size="large" startIcon={<RepeatIcon />} disabled={!data?.held} loading={put.isPending && put.variables === ""} onClick={() => put.mutate("")}>
          Take turns again
        </Button>
      )}
      <Typography variant="body2" color="textSecondary">
        {data?.why}
      </Typography>
    </Stack>
  );
}
