import Box from "@mui/material/Box";
import Paper from "@mui/material/Paper";

import type { Feed, Rendition } from "../api/client";
import { MotionJPEG } from "./MotionJPEG";
import { Player } from "./Player";

interface PicturesProps {
  feed: Feed;
  preview: string | null;
}

/** The feed, and beside it the rendition that is looked at. */
export function Pictures({ feed, preview }: PicturesProps) {
  const rendition = (feed.renditions ?? []).find((r) => r.name === preview);
  const columns = rendition ? { xs: "1fr", sm: "1fr 1fr" } : "1fr";
  return (
    <Box sx={{ display: "grid", gap: 1.5, gridTemplateColumns: columns }}>
      <Paper sx={{ overflow: "hidden", aspectRatio: "16 / 9" }}>
        <Player feed={feed.name} label={feed.title} />
      </Paper>
      {rendition && (
        <Paper sx={{ overflow: "hidden", aspectRatio: "16 / 9", position: "relative" }}>
          <Preview key={rendition.name} feed={feed} rendition={rendition} />
        </Paper>
      )}
    </Box>
  );
}

function Preview({ feed, rendition }: { feed: Feed; rendition: Rendition }) {
  if (rendition.codec === "JPEG") return <MotionJPEG src={rendition.path} label={rendition.name} />;
  return <Player feed={feed.name} label={rendition.name} rendition={rendition.name} />;
}
