import AddIcon from "@mui/icons-material/Add";
import GridViewIcon from "@mui/icons-material/GridViewOutlined";
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Paper from "@mui/material/Paper";
import Skeleton from "@mui/material/Skeleton";
import Stack from "@mui/material/Stack";
import Typography from "@mui/material/Typography";
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";

import { at } from "../api/base";
import { problemOf, type Feed, type Me } from "../api/client";
import { feedsQuery } from "../api/queries";
import { AddDialog } from "../add/AddDialog";
import { ProblemBox } from "../parts/ProblemBox";
import { FeedRow } from "./FeedRow";

export function FeedsPage({ me }: { me: Me }) {
  const feeds = useQuery(feedsQuery);
  const [adding, setAdding] = useState(false);
  const mayAdd = me.role === "engineer";
  return (
    <Stack spacing={2.5}>
      <Stack direction="row" sx={{ alignItems: "center", justifyContent: "space-between" }}>
        <Box>
          <Typography variant="h1">Feeds</Typography>
          {feeds.data && <Summary feeds={feeds.data} />}
        </Box>
        <Stack direction="row" spacing={1}>
          {feeds.data && feeds.data.length > 1 && (
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
      {feeds.isError && !feeds.data && <ProblemBox problem={problemOf(feeds.error)} />}
      {feeds.isPending && <Skeleton variant="rounded" height={180} />}
      {feeds.data?.length === 0 && <Nothing mayAdd={mayAdd} onAdd={() => setAdding(true)} />}
      {feeds.data && feeds.data.length > 0 && (
        <Paper sx={{ overflow: "hidden" }}>
          {feeds.data.map((f, i) => (
            <FeedRow key={f.name} feed={f} first={i === 0} />
          ))}
        </Paper>
      )}
      {adding && <AddDialog onClose={() => setAdding(false)} />}
    </Stack>
  );
}

function Summary({ feeds }: { feeds: Feed[] }) {
  const live = feeds.filter((f) => f.state === "live").length;
  const viewers = feeds.reduce((n, f) => n + f.viewers, 0);
  return (
    <Typography color="textSecondary" variant="body2">
      {live} of {feeds.length} live · {viewers} {viewers === 1 ? "viewer" : "viewers"}
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
