import Button from "@mui/material/Button";
import Stack from "@mui/material/Stack";
import Typography from "@mui/material/Typography";
import { useMutation, useQueryClient } from "@tanstack/react-query";

import { client, dataOf, problemOf } from "../api/client";
import { List, Row } from "../people/Row";
import { ProblemBox } from "../parts/ProblemBox";
import { Section } from "../parts/Section";
import type { RuleList } from "./queries";

/** Rules that the router is asked for, only when somebody says so. */
export function RouterRules({ rules }: { rules: RuleList }) {
  const queries = useQueryClient();
  const onSettled = () => queries.invalidateQueries({ queryKey: ["reach"] });
  const ask = useMutation({ mutationFn: async () => dataOf(await client.POST("/api/v1/reach/rules")), onSettled });
  const withdraw = useMutation({ mutationFn: async () => dataOf(await client.DELETE("/api/v1/reach/rules")), onSettled });
  const list = rules.rules ?? [];
  const failed = ask.error ?? withdraw.error;
  return (
    <Section
      title="Ask the router"
      hint="Many routers pass ports on when they are asked, by PCP, NAT-PMP or UPnP. It is renewed by itself, and taken back when the service ends."
      action={
        <Stack direction="row" spacing={1}>
          {list.length > 0 && (
            <Button size="small" loading={withdraw.isPending} onClick={() => withdraw.mutate()}>
              Take it back
            </Button>
          )}
          <Button size="small" variant="outlined" loading={ask.isPending} onClick={() => ask.mutate()}>
            Ask for what viewers need
          </Button>
        </Stack>
      }
    >
      {failed && <ProblemBox problem={problemOf(failed)} />}
      {rules.by && (
        <Typography variant="body2">
          The router at {rules.router} speaks {rules.by}; its address outside is {rules.outside ?? "not told"}.
        </Typography>
      )}
      {rules.note && (
        <Typography variant="body2" color="warning.main">
          {rules.note}
        </Typography>
      )}
      <List>
        {list.map((r) => (
          <Row key={r.protocol + r.inside} title={`${r.protocol} ${r.outside || "–"} to port ${r.inside}`} more={[r.for, r.trouble ?? `until ${new Date(r.ends).toLocaleTimeString()}, renewed by itself`].join(" · ")} />
        ))}
      </List>
    </Section>
  );
}
