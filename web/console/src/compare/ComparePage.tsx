import ArrowBackIcon from "@mui/icons-material/ArrowBack";
import FiberManualRecordIcon from "@mui/icons-material/FiberManualRecord";
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import MuiLink from "@mui/material/Link";
import Paper from "@mui/material/Paper";
import Stack from "@mui/material/Stack";
import Typography from "@mui/material/Typography";
import { useQuery } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";
import { Link, useParams, useSearchParams } from "react-router";

import { at } from "../api/base";
import { viewersQuery } from "../api/queries";
import { MotionJPEG } from "../feed/MotionJPEG";
import { Player } from "../feed/Player";
import { bytes } from "../look/numbers";
import { type Numbers, sumUp, type Way, ways } from "./measure";
import { Recording, type Row } from "./Recording";
import { type Samples, useSamples } from "./useSamples";

const lately = 40; // samples: ten seconds
const recorded = 60; // seconds

/** One feed by all its deliveries at once, with what can be measured of each. */
export function ComparePage() {
  const { name = "" } = useParams();
  const box = useRef<HTMLDivElement>(null);
  const samples = useSamples(box, name);
  const { rows, recording, begin } = useRecording(samples);
  const only = useSearchParams()[0].get("only"); // one delivery, so that the others do not take its time
  const shown = ways.filter((w) => only === null || w.way === only);
  return (
    <Stack spacing={2}>
      <Stack direction="row" spacing={2} useFlexGap sx={{ alignItems: "center", flexWrap: "wrap" }}>
        <Button component={Link} to={`/feeds/${name}`} startIcon={<ArrowBackIcon />} sx={{ ml: -1 }}>
          {name}
        </Button>
        <Typography variant="h1" sx={{ flex: 1 }}>
          Deliveries side by side
        </Typography>
        <Button variant="outlined" color="error" startIcon={<FiberManualRecordIcon />} disabled={recording} onClick={begin}>
          {recording ? `Recording, ${recorded - rows.length} s left` : "Record a minute"}
        </Button>
      </Stack>
      <Box ref={box} sx={{ display: "grid", gap: 1.5, gridTemplateColumns: { xs: "1fr", md: "repeat(3, minmax(0, 1fr))" } }}>
        {shown.map((w) => (
          <Tile key={w.way} feed={name} way={w.way} name={w.name} numbers={sumUp(samples[w.way].slice(-lately))} />
        ))}
      </Box>
      {rows.length > 1 && (
        <Paper sx={{ p: 2 }}>
          <Recording feed={name} rows={rows} />
        </Paper>
      )}
      <Typography variant="body2" color="textSecondary">
        Where the picture has a QR clock, the delay is read from the pixels on show and is that of the whole way from the camera. Otherwise it comes from the camera's capture times
        and a clock that is compared with the service's; Motion JPEG then has none. For a camera of your own, hold the{" "}
        <MuiLink href={at("/clock")} target="_blank" rel="noopener">
          clock page
        </MuiLink>{" "}
        on a phone in front of it.
      </Typography>
    </Stack>
  );
}

function Tile({ feed, way, name, numbers }: { feed: string; way: Way; name: string; numbers: Numbers }) {
  const viewers = useQuery(viewersQuery(feed));
  const mine = viewers.data?.filter((v) => v.method === methodOf(way)).at(-1);
  const rate = useRate(mine?.bytes);
  return (
    <Paper
      data-way={way}
      data-delay={numbers.delay ?? ""}
      data-high={numbers.high ?? ""}
      data-rate={numbers.rate ?? ""}
      data-stalls={numbers.stalls}
      data-looks={numbers.looks}
      data-by={numbers.byPixels ? "pixels" : "capture times"}
      sx={{ overflow: "hidden" }}>
      <Box sx={{ aspectRatio: "16 / 9", bgcolor: "#000", position: "relative" }}>
        {way === "motion-jpeg" ? (
          <MotionJPEG src={at(`/media/${encodeURIComponent(feed)}/mjpeg`)} label={name} />
        ) : (
          <Player feed={feed} label={name} by={way} />
        )}
      </Box>
      <Box sx={{ p: 1.5 }}>
        <Typography variant="h2">{name}</Typography>
        <Typography sx={{ fontSize: "2rem", fontWeight: 700, fontVariantNumeric: "tabular-nums" }}>{milliseconds(numbers.delay)}</Typography>
        <Typography variant="body2" color="textSecondary" sx={{ fontVariantNumeric: "tabular-nums" }}>
          {numbers.delay === null ? "no delay is known, or it does not play this way" : `${milliseconds(numbers.high)} at the 95th percentile · ${numbers.byPixels ? "from the pixels" : "from capture times"}`}
        </Typography>
        <Typography variant="body2" color="textSecondary" sx={{ fontVariantNumeric: "tabular-nums" }}>
          {numbers.rate === null ? "" : `${numbers.rate.toFixed(1)} fps · `}
          {numbers.stalls} stalls in ten seconds · {rate === null ? "–" : `${bytes(rate)} a second`}
        </Typography>
      </Box>
    </Paper>
  );
}

/** What viewers by a way are counted as. */
function methodOf(way: Way): string {
  return way === "hls-plain" ? "hls" : way;
}

function milliseconds(v: number | null): string {
  if (v === null) return "–";
  return v < 1000 ? `${v.toFixed(0)} ms` : `${(v / 1000).toFixed(2)} s`;
}

/** Turns a growing count into a rate a second. */
function useRate(count: number | undefined): number | null {
  const [rate, setRate] = useState<number | null>(null);
  const before = useRef<{ at: number; count: number } | null>(null);
  useEffect(() => {
    if (count === undefined) return;
    const at = Date.now();
    const last = before.current;
    if (last && count >= last.count && at > last.at) setRate(((count - last.count) * 1000) / (at - last.at));
    before.current = { at, count };
  }, [count]);
  return rate;
}

/** Keeps the median of each second, for a minute, once it was begun. */
function useRecording(samples: Samples) {
  const [rows, setRows] = useState<Row[]>([]);
  const [recording, setRecording] = useState(false);
  const latest = useRef(samples);
  useEffect(() => {
    latest.current = samples;
  }, [samples]);
  useEffect(() => {
    if (!recording) return undefined;
    const timer = setInterval(() => {
      setRows((before) => {
        const delays = Object.fromEntries(ways.map(({ way }) => [way, sumUp(latest.current[way].slice(-4)).delay])) as Row["delays"];
        return before.length < recorded ? [...before, { second: before.length + 1, delays }] : before;
      });
    }, 1000);
    const stop = setTimeout(() => setRecording(false), recorded * 1000);
    return () => {
      clearInterval(timer);
      clearTimeout(stop);
    };
  }, [recording]);
  const begin = () => {
    setRows([]);
    setRecording(true);
  };
  return { rows, recording, begin };
}
