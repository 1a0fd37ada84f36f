import AddIcon from "@mui/icons-material/Add";
import GridViewIcon from "@mui/icons-material/GridViewOutlined";
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Pagination from "@mui/material/Pagination";
import Paper from "@mui/material/Paper";
import Skeleton from "@mui/material/Skeleton";
import Stack from "@mui/material/Stack";
import Typography from "@mui/material/Typography";
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";

import { AddDialog } from "../add/AddDialog";
import { at } from "../api/base";
import { problemOf, type Feed, type Me } from "../api/client";
import { feedsQuery } from "../api/queries";
import { ProblemBox } from "../parts/ProblemBox";
import { stripsQuery } from "../record/queries";
import { byTag, choose, groupOf, perPage } from "./choose";
import { FeedRow, type Strips } from "./FeedRow";
import { FeedTile } from "./FeedTile";
import { Filters } from "./Filters";
import { useView, type View } from "./useView";

const manyFrom = 9; // feeds that filters are worth their place for

export function FeedsPage({ me }: { me: Me }) {
  const feeds = useQuery(feedsQuery);
  const [adding, setAdding] = useState(false);
  const mayAdd = me.role === "engineer";
  const list = feeds.data;
  return (
    <Stack spacing={2}>
      <Stack direction="row" sx={{ alignItems: "center", justifyContent: "space-between" }}>
        <Box>
          <Typography variant="h1">Feeds</Typography>
          {list && <Summary feeds={list} />}
        </Box>
        <Stack direction="row" spacing={1}>
          {list && list.length > 1 && (
            <Button href={at("/wall")} target="_blank" startIcon={<GridViewIcon />}>
              Wall
            </Button>
          )}
          {mayAdd && (
            <Button variant="contained" startIcon={<AddIcon />} onClick={() => setAdding(true)}>
              Add a feed
            </Button>
          )}
        </Stack>
      </Stack>
      {feeds.isError && !list && <ProblemBox problem={problemOf(feeds.error)} />}
      {feeds.isPending && <Skeleton variant="rounded" height={180} />}
      {list?.length === 0 && <Nothing mayAdd={mayAdd} onAdd={() => setAdding(true)} />}
      {list && list.length > 0 && <List feeds={list} withStrips={mayAdd} />}
      {adding && <AddDialog onClose={() => setAdding(false)} />}
    </Stack>
  );
}

function List({ feeds, withStrips }: { feeds: Feed[]; withStrips: boolean }) {
  const view = useView();
  const strips = useQuery({ ...stripsQuery, enabled: withStrips });
  const found = choose(feeds, view.choice);
  const pages = Math.max(1, Math.ceil(found.length / perPage));
  const page = Math.min(view.page, pages);
  const shown = found.slice((page - 1) * perPage, page * perPage);
  const known: Strips = { begins: strips.data?.begins ?? "", cell: strips.data?.cellSeconds ?? 300, of: new Map(strips.data?.strips?.map((s) => [s.feed, s])) };
  return (
    <>
      {feeds.length >= manyFrom && <Filters feeds={feeds} view={view} />}
      {found.length === 0 && <Typography color="textSecondary">No feed fits.</Typography>}
      {(view.grouped ? byTag(shown) : ([["all", shown]] as [string, Feed[]][])).map(([tag, list]) => (
        <section key={tag}>
          {view.grouped && (
            <Typography variant="h2" sx={{ mb: 0.75 }}>
              {tag || "Without a tag"} <GroupSummary feeds={list} />
            </Typography>
          )}
          {list.length > 0 && <Feeds feeds={list} view={view} strips={known} compact={feeds.length >= manyFrom} />}
        </section>
      ))}
      {pages > 1 && <Pagination count={pages} page={page} onChange={(_, p) => view.set("page", p > 1 ? String(p) : "")} sx={{ alignSelf: "center" }} />}
    </>
  );
}

function Feeds({ feeds, view, strips, compact }: { feeds: Feed[]; view: View; strips: Strips; compact: boolean }) {
  if (view.tiles) {
    return (
      <Box sx={{ display: "grid", gap: 0.5, gridTemplateColumns: "repeat(auto-fill, minmax(190px, 1fr))" }}>
        {feeds.map((f) => (
          <FeedTile key={f.name} feed={f} />
        ))}
      </Box>
    );
  }
  return (
    <Paper sx={{ overflow: "hidden" }}>
      {feeds.map((f, i) => (
        <FeedRow key={f.name} feed={f} first={i === 0} strips={strips} compact={compact} />
      ))}
    </Paper>
  );
}

function GroupSummary({ feeds }: { feeds: Feed[] }) {
  const broken = feeds.filter((f) => groupOf(f.state) === "broken").length;
  return (
    <Typography component="span" variant="body2" color={broken ? "error" : "textSecondary"}>
      {broken ? `${broken} of ${feeds.length} broken` : feeds.length}
    </Typography>
  );
}

function Summary({ feeds }: { feeds: Feed[] }) {
  const live = feeds.filter((f) => f.state === "live").length;
  const broken = feeds.filter((f) => groupOf(f.state) === "broken").length;
  const viewers = feeds.reduce((n, f) => n + f.viewers, 0);
  return (
    <Typography color="textSecondary" variant="body2">
      {live} of {feeds.length} live
      {broken > 0 && ` · ${broken} broken`} · {viewers} {viewers === 1 ? "viewer" : "viewers"}
    </Typography>
  );
}

function Nothing({ mayAdd, onAdd }: { mayAdd: boolean; onAdd: () => void }) {
  return (
    <Paper sx={{ p: 5, textAlign: "center" }}>
      <Typography variant="h2" gutterBottom>
        No feeds yet
      </Typography>
      <Typography color="textSecondary" sx={{ mb: 2 }}>
        A feed is one camera, named after the place it shows. Search for cameras, or look into one whose address you know.
      </Typography>
      {mayAdd && (
        <Stack direction="row" spacing={1} sx={{ justifyContent: "center" }}>
          <Button variant="contained" component={Link} to="/search">
            Search for cameras
          </Button>
          <Button variant="outlined" onClick={onAdd}>
            Look into a camera
          </Button>
        </Stack>
      )}
    </Paper>
  );
}
