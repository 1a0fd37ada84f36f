import Button from "@mui/material/Button";
import List from "@mui/material/List";
import ListItem from "@mui/material/ListItem";
import ListItemText from "@mui/material/ListItemText";
import Typography from "@mui/material/Typography";
import { useMutation, useQueryClient } from "@tanstack/react-query";

import { client, dataOf, problemOf } from "../api/client";
import { feedsQuery } from "../api/queries";
import { bits } from "../look/numbers";
import { ProblemBox } from "../parts/ProblemBox";
import { Section } from "../parts/Section";
import type { Plan } from "./usePlan";

/** What would make it better, and the smaller renditions that are proposed. */
export function Advice({ feed, plan, engineer }: { feed: string; plan: Plan; engineer: boolean }) {
  const advice = plan.advice ?? [];
  const ladder = plan.ladder ?? [];
  return (
    <Section title="What would make it better">
      {advice.length === 0 ? (
        <Typography color="textSecondary">Nothing that is in your hands.</Typography>
      ) : (
        <List dense disablePadding>
          {advice.map((a) => (
            <ListItem key={a.do} disableGutters>
              <ListItemText primary={a.do} secondary={a.gain} />
            </ListItem>
          ))}
        </List>
      )}
      {ladder.length > 0 && (
        <>
          <Typography color="textSecondary" sx={{ mt: 1 }}>
            For weak lines: {ladder.map((r) => `${r.name} (${r.width} × ${r.height}, ${bits(r.bitRate)})`).join(", ")}. They are made while somebody watches them.
          </Typography>
          {engineer && <AddLadder feed={feed} />}
        </>
      )}
    </Section>
  );
}

function AddLadder({ feed }: { feed: string }) {
  const queries = useQueryClient();
  const add = useMutation({
    mutationFn: async () => dataOf(await client.POST("/api/v1/feeds/{name}/ladder", { params: { path: { name: feed } } })),
    onSuccess: () => queries.invalidateQueries({ queryKey: feedsQuery.queryKey }),
  });
  return (
    <>
      <Button size="small" sx={{ mt: 1 }} disabled={add.isPending || add.isSuccess} onClick={() => add.mutate()}>
        {add.isSuccess ? "The ladder is there" : "Add this ladder"}
      </Button>
      {add.isError && <ProblemBox problem={problemOf(add.error)} />}
    </>
  );
}
