import AddIcon from "@mui/icons-material/Add";
import CloseIcon from "@mui/icons-material/Close";
import EditIcon from "@mui/icons-material/EditOutlined";
import QrCodeIcon from "@mui/icons-material/QrCode2";
import Button from "@mui/material/Button";
import IconButton from "@mui/material/IconButton";
import Stack from "@mui/material/Stack";
import Tooltip from "@mui/material/Tooltip";
import Typography from "@mui/material/Typography";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";

import { client, dataOf, problemOf, type Feed, type FeedLink } from "../api/client";
import { linksQuery } from "../api/queries";
import { moment } from "../look/numbers";
import { ProblemBox } from "../parts/ProblemBox";
import { LinkDialog } from "./LinkDialog";
import { ShowDialog } from "./ShowDialog";

const few = 12;

type Open = { kind: "make" } | { kind: "edit" | "show"; link: FeedLink } | null;

/** The links of a feed. */
export function Links({ feed }: { feed: Feed }) {
  const query = linksQuery(feed.name);
  const links = useQuery(query);
  const queries = useQueryClient();
  const [open, setOpen] = useState<Open>(null);
  const [all, setAll] = useState(false);
  const list = links.data ?? [];
  const end = useMutation({
    mutationFn: async (link: string) => dataOf(await client.DELETE("/api/v1/feeds/{name}/links/{link}", { params: { path: { name: feed.name, link } } })),
    onSettled: () => queries.invalidateQueries({ queryKey: query.queryKey }),
  });
  return (
    <Stack spacing={1}>
      {links.data?.length === 0 && (
        <Typography variant="body2" color="textSecondary">
          A link opens this feed to whoever has it, without an account, until it ends.
        </Typography>
      )}
      {list.slice(0, all ? list.length : few).map((l) => (
        <Row key={l.name} link={l} onShow={() => setOpen({ kind: "show", link: l })} onEdit={() => setOpen({ kind: "edit", link: l })} onEnd={() => end.mutate(l.name)} />
      ))}
      {list.length > few && !all && (
        <Button onClick={() => setAll(true)} sx={{ alignSelf: "start" }}>
          Show all {list.length}
        </Button>
      )}
      {end.isError && <ProblemBox problem={problemOf(end.error)} />}
      <Button startIcon={<AddIcon />} onClick={() => setOpen({ kind: "make" })} sx={{ alignSelf: "start" }}>
        Make a link
      </Button>
      {open?.kind === "make" && <LinkDialog feed={feed} onClose={() => setOpen(null)} onDone={(link) => setOpen({ kind: "show", link })} />}
      {open?.kind === "edit" && <LinkDialog feed={feed} link={open.link} onClose={() => setOpen(null)} onDone={() => setOpen(null)} />}
      {open?.kind === "show" && <ShowDialog link={open.link} onClose={() => setOpen(null)} />}
    </Stack>
  );
}

function terms(l: FeedLink): string {
  const parts = [l.ends ? `${l.over ? "ended" : "ends"} ${moment(l.ends)}` : "no end"];
  if (l.sites && l.sites.length > 0) parts.push(`on ${l.sites.join(", ")}`);
  if (l.deliveries && l.deliveries.length > 0) parts.push(l.deliveries.join(", "));
  parts.push(l.most ? `${l.viewers} of ${l.most} watching` : `${l.viewers} watching`);
  parts.push(l.used ? `used ${moment(l.used)}` : "never used");
  return parts.join(" · ");
}

function Row({ link, onShow, onEdit, onEnd }: { link: FeedLink; onShow: () => void; onEdit: () => void; onEnd: () => void }) {
  return (
    <Stack direction="row" spacing={0.25} sx={{ alignItems: "center" }}>
      <Stack sx={{ flex: 1, minWidth: 0 }}>
        <Typography variant="body2" sx={{ fontWeight: 600, color: link.over ? "warning.main" : "text.primary" }}>
          {link.name}
        </Typography>
        <Typography variant="caption" color="textSecondary" sx={{ overflowWrap: "anywhere" }}>
          {terms(link)}
        </Typography>
      </Stack>
      {link.text && (
        <Tooltip title="Addresses and QR code">
          <IconButton size="small" aria-label={`Addresses of link ${link.name}`} onClick={onShow}>
            <QrCodeIcon fontSize="inherit" />
          </IconButton>
        </Tooltip>
      )}
      <Tooltip title="Change">
        <IconButton size="small" aria-label={`Change link ${link.name}`} onClick={onEdit}>
          <EditIcon fontSize="inherit" />
        </IconButton>
      </Tooltip>
      <Tooltip title="End it now">
        <IconButton size="small" aria-label={`End link ${link.name}`} onClick={onEnd}>
          <CloseIcon fontSize="inherit" />
        </IconButton>
      </Tooltip>
    </Stack>
  );
}
