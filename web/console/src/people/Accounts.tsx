import AddIcon from "@mui/icons-material/Add";
import DeleteOutlineIcon from "@mui/icons-material/DeleteOutlined";
import KeyIcon from "@mui/icons-material/KeyOutlined";
import Button from "@mui/material/Button";
import Chip from "@mui/material/Chip";
import IconButton from "@mui/material/IconButton";
import Tooltip from "@mui/material/Tooltip";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";

import { client, dataOf, problemOf, type Account, type Me } from "../api/client";
import { accountsQuery } from "../api/queries";
import { ProblemBox } from "../parts/ProblemBox";
import { AccountDialog } from "./AccountDialog";
import { PasswordDialog } from "./PasswordDialog";
import { List, Row } from "./Row";
import { Section } from "../parts/Section";

type Open = { kind: "add" } | { kind: "password"; account: string } | null;

export function Accounts({ me }: { me: Me }) {
  const accounts = useQuery(accountsQuery);
  const queries = useQueryClient();
  const [open, setOpen] = useState<Open>(null);
  const remove = useMutation({
    mutationFn: async (account: string) => dataOf(await client.DELETE("/api/v1/accounts/{account}", { params: { path: { account } } })),
    onSettled: () => queries.invalidateQueries({ queryKey: accountsQuery.queryKey }),
  });
  return (
    <Section
      title="Accounts"
      hint="Engineers see and change everything; viewers see the feeds that are theirs. A panel opens media of the feeds that name it, by Basic or Digest, and nothing else."
      action={
        <Button variant="outlined" startIcon={<AddIcon />} onClick={() => setOpen({ kind: "add" })}>
          Add an account
        </Button>
      }
    >
      <List>
        {accounts.data?.map((a) => (
          <AccountRow key={a.name} account={a} own={a.name === me.name} onPassword={() => setOpen({ kind: "password", account: a.name })} onRemove={() => remove.mutate(a.name)} />
        ))}
      </List>
      {remove.isError && <ProblemBox problem={problemOf(remove.error)} />}
      {open?.kind === "add" && <AccountDialog onClose={() => setOpen(null)} />}
      {open?.kind === "password" && <PasswordDialog account={open.account} onClose={() => setOpen(null)} />}
    </Section>
  );
}

function more(a: Account): string {
  const feeds = a.feeds ?? [];
  if (a.role === "engineer") return a.second ? "Sees everything; with a second factor" : "Sees everything";
  const named = feeds.length > 0 ? `Named by ${feeds.join(", ")}` : a.role === "panel" ? "No feed names it yet, so it opens nothing" : "Sees what everyone and signed-in people see";
  return a.second ? `${named}; with a second factor` : named;
}

function AccountRow({ account, own, onPassword, onRemove }: { account: Account; own: boolean; onPassword: () => void; onRemove: () => void }) {
  const actions = (
    <>
      <Tooltip title="Another password">
        <IconButton size="small" aria-label={`Another password for ${account.name}`} onClick={onPassword}>
          <KeyIcon fontSize="small" />
        </IconButton>
      </Tooltip>
      {!own && (
        <Tooltip title="Remove">
          <IconButton size="small" aria-label={`Remove account ${account.name}`} onClick={onRemove}>
            <DeleteOutlineIcon fontSize="small" />
          </IconButton>
        </Tooltip>
      )}
    </>
  );
  const title = (
    <>
      {account.name} <Chip size="small" variant="outlined" label={account.role} sx={{ ml: 0.5 }} />
    </>
  );
  return <Row title={title} more={more(account)} actions={actions} />;
}
