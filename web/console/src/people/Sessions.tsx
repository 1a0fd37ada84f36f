import LogoutIcon from "@mui/icons-material/Logout";
import Chip from "@mui/material/Chip";
import IconButton from "@mui/material/IconButton";
import Tooltip from "@mui/material/Tooltip";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";

import { client, dataOf, problemOf, type BrowserSession } from "../api/client";
import { sessionsQuery } from "../api/queries";
import { moment } from "../look/numbers";
import { ProblemBox } from "../parts/ProblemBox";
import { browserOf } from "./browsers";
import { List, Row } from "./Row";
import { Section } from "../parts/Section";

/** Browsers that are signed in: one's own, or those of all accounts. */
export function Sessions({ all, title }: { all: boolean; title: string }) {
  const query = sessionsQuery(all);
  const sessions = useQuery(query);
  const queries = useQueryClient();
  const end = useMutation({
    mutationFn: async (s: BrowserSession) => dataOf(await client.DELETE("/api/v1/sessions/{id}", { params: { path: { id: s.id } } })),
    onSettled: () => queries.invalidateQueries({ queryKey: ["sessions"] }),
  });
  return (
    <Section title={title}>
      <List>
        {sessions.data?.map((s) => (
          <Row
            key={s.id}
            title={
              <>
                {all ? s.account : browserOf(s.browser)} {s.own && <Chip size="small" variant="outlined" label="this one" sx={{ ml: 0.5 }} />}
              </>
            }
            more={[all && browserOf(s.browser), `from ${s.address}`, `since ${moment(s.created)}`, s.used && `used ${moment(s.used)}`].filter(Boolean).join(" · ")}
            actions={
              !s.own && (
                <Tooltip title="Sign it out">
                  <IconButton size="small" aria-label={`Sign out ${s.account} at ${s.address}`} onClick={() => end.mutate(s)}>
                    <LogoutIcon fontSize="small" />
                  </IconButton>
                </Tooltip>
              )
            }
          />
        ))}
      </List>
      {end.isError && <ProblemBox problem={problemOf(end.error)} />}
    </Section>
  );
}
