import Box from "@mui/material/Box";
import Paper from "@mui/material/Paper";
import Typography from "@mui/material/Typography";
import { useEffect, useRef } from "react";

import type { Feed, Rendition } from "../api/client";
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

function MotionJPEG({ src, label }: { src: string; label: string }) {
  const image = useRef<HTMLImageElement>(null);
  useEffect(() => {
    const element = image.current;
    if (element) element.src = src;
    return () => {
      if (element) element.src = ""; // removing the element alone leaves the connection open
    };
  }, [src]);
  return (
    <>
      <Box component="img" ref={image} alt={`Preview of ${label}`} sx={{ width: "100%", height: "100%", objectFit: "contain", bgcolor: "#000", display: "block" }} />
      <Typography variant="body2" sx={{ position: "absolute", left: 10, top: 8, color: "#fff", textShadow: "0 1px 3px #000" }}>
        {label}
      </Typography>
    </>
  );
}
