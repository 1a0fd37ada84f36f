import Box from "@mui/material/Box";
import Typography from "@mui/material/Typography";
import { useEffect, useRef, useState } from "react";

import { at } from "../api/base";
import { sumUp, type Way } from "../compare/measure";
import { useSamples } from "../compare/useSamples";
import { MotionJPEG } from "../feed/MotionJPEG";
import { Player } from "../feed/Player";

const settling = 5000; // milliseconds that a player is given to come to its place
const looking = 6000;
const looks = 24; // in that time

/** Milliseconds by delivery, as measured on this screen. */
export type Measured = Partial<Record<Way, number | null>>;

/** Plays one delivery after the other and measures how far behind each is here. */
export function Measure({ feed, ways, onMeasured, onDone }: { feed: string; ways: Way[]; onMeasured: (way: Way, delay: number | null) => void; onDone: () => void }) {
  const [index, setIndex] = useState(0);
  const box = useRef<HTMLDivElement>(null);
  const samples = useSamples(box, feed);
  const latest = useRef(samples);
  useEffect(() => {
    latest.current = samples;
  }, [samples]);
  const way = ways[index];
  useEffect(() => {
    if (way === undefined) {
      onDone();
      return undefined;
    }
    const timer = setTimeout(() => {
      onMeasured(way, sumUp(latest.current[way].slice(-looks)).delay);
      setIndex((i) => i + 1);
    }, settling + looking);
    return () => clearTimeout(timer);
  }, [way, onMeasured, onDone]);
  if (way === undefined) return null;
  return (
    <Box ref={box}>
      <Typography variant="body2" color="textSecondary" role="status">
        Playing {way} for ten seconds …
      </Typography>
      <Box data-way={way} sx={{ width: 320, maxWidth: "100%", aspectRatio: "16 / 9", bgcolor: "#000" }}>
        {way === "motion-jpeg" ? <MotionJPEG src={at(`/media/${encodeURIComponent(feed)}/mjpeg`)} label={way} /> : <Player key={way} feed={feed} label={way} by={way} />}
      </Box>
    </Box>
  );
}
