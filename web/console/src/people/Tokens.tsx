import AddIcon from "@mui/icons-material/Add";
import CloseIcon from "@mui/icons-material/Close";
import Button from "@mui/material/Button";
import Chip from "@mui/material/Chip";
import IconButton from "@mui/material/IconButton";
import Tooltip from "@mui/material/Tooltip";
import Typography from "@mui/material/Typography";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";

import { client, dataOf, problemOf, type Token } from "../api/client";
import { tokensQuery } from "../api/queries";
import { moment } from "../look/numbers";
import { ProblemBox } from "../parts/ProblemBox";
import { List, Row } from "./Row";
import { Section } from "../parts/Section";
import { TokenDialog } from "./TokenDialog";

function more(t: Token): string {
  const parts = [t.ends ? `ends ${moment(t.ends)}` : "no end", t.used ? `used ${moment(t.used)}` : "never used", `of ${t.account}`];
  if (t.feeds && t.feeds.length > 0) parts.unshift(t.feeds.join(", "));
  return parts.join(" · ");
}

export function Tokens() {
  const tokens = useQuery(tokensQuery);
  const queries = useQueryClient();
  const [making, setMaking] = useState(false);
  const end = useMutation({
    mutationFn: async (id: number) => dataOf(await client.DELETE("/api/v1/tokens/{id}", { params: { path: { id } } })),
    onSettled: () => queries.invalidateQueries({ queryKey: tokensQuery.queryKey }),
  });
  return (
    <Section
      title="Tokens for programs"
      hint="A program sends its token with each request, as Authorization: Bearer."
      action={
        <Button variant="outlined" startIcon={<AddIcon />} onClick={() => setMaking(true)}>
          Make a token
        </Button>
      }
    >
      {tokens.data?.length === 0 && <Typography variant="body2">There are none.</Typography>}
      <List>
        {tokens.data?.map((t) => (
          <Row
            key={t.id}
            title={
              <>
                {t.name} <Chip size="small" variant="outlined" label={t.scope} sx={{ ml: 0.5 }} />
              </>
            }
            more={more(t)}
            actions={
              <Tooltip title="End it now">
                <IconButton size="small" aria-label={`End token ${t.name}`} onClick={() => end.mutate(t.id)}>
                  <CloseIcon fontSize="small" />
                </IconButton>
              </Tooltip>
            }
          />
        ))}
      </List>
      {end.isError && <ProblemBox problem={problemOf(end.error)} />}
      {making && <TokenDialog onClose={() => setMaking(false)} />}
    </Section>
  );
}
