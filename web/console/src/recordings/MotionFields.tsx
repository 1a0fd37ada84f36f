import Box from "@mui/material/Box";
import Slider from "@mui/material/Slider";
import Typography from "@mui/material/Typography";
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";

import { at } from "../api/base";
import { changed, columns, readMask, rows, writeMask } from "./cells";
import { motionQuery, type Motion } from "./queries";

interface MotionFieldsProps {
  feed: string;
  threshold: number;
  mask: string;
  onThreshold: (percent: number) => void;
  onMask: (mask: string) => void;
}

/** The threshold and the mask, with what they do to the present picture. */
export function MotionFields({ feed, threshold, mask, onThreshold, onMask }: MotionFieldsProps) {
  const { data } = useQuery(motionQuery(feed));
  const cells = readMask(mask);
  const now = data && data.points && data.points.length > 0 ? changed((data.cells ?? []) as number[][], cells) : null;
  return (
    <Box>
      <Typography variant="body2" sx={{ mb: 0.5 }}>
        Press or drag over what is not to be looked at, such as trees or a clock. What changes now is lit.
      </Typography>
      <MaskGrid feed={feed} mask={mask} motion={data} onMask={onMask} />
      <Typography variant="body2" sx={{ mt: 1, fontVariantNumeric: "tabular-nums" }} color={now !== null && now >= threshold ? "success.main" : "textSecondary"}>
        {data?.problem ?? (now === null ? "The picture is being measured …" : `${now.toFixed(1)} % changes now: ${now >= threshold ? "it would be recorded" : "too little to be recorded"}`)}
      </Typography>
      <History motion={data} threshold={threshold} />
      <Typography variant="body2" id="motion-threshold">
        Recorded when {threshold} % or more changes
      </Typography>
      <Slider size="small" min={0.1} max={20} step={0.1} value={threshold} aria-labelledby="motion-threshold" onChange={(_, v) => onThreshold(v as number)} />
    </Box>
  );
}

function MaskGrid({ feed, mask, motion, onMask }: { feed: string; mask: string; motion: Motion | undefined; onMask: (mask: string) => void }) {
  const [painting, setPainting] = useState<boolean | null>(null); // masked or not
  const cells = readMask(mask);
  const paint = (i: number, on: boolean) => {
    if (cells[i] !== on) onMask(writeMask(cells.map((c, n) => (n === i ? on : c))));
  };
  return (
    <Box
      onPointerUp={() => setPainting(null)}
      onPointerLeave={() => setPainting(null)}
      sx={{ display: "grid", gridTemplateColumns: `repeat(${columns}, 1fr)`, aspectRatio: "16/9", maxWidth: 420, backgroundImage: `url(${at(`/media/${encodeURIComponent(feed)}/still.jpg?max-age=60&width=480`)})`, backgroundSize: "100% 100%", borderRadius: 1, overflow: "hidden", touchAction: "none" }}
    >
      {cells.map((masked, i) => {
        const percent = (motion?.cells?.[Math.floor(i / columns)] as number[] | undefined)?.[i % columns] ?? 0;
        return (
          <Box
            key={i}
            component="button"
            type="button"
            aria-label={`Row ${Math.floor(i / columns) + 1} of ${rows}, column ${(i % columns) + 1}`}
            aria-pressed={masked}
            onPointerDown={(e: React.PointerEvent<HTMLElement>) => {
              e.currentTarget.releasePointerCapture(e.pointerId);
              setPainting(!masked);
              paint(i, !masked);
            }}
            onPointerEnter={() => painting !== null && paint(i, painting)}
            onKeyDown={(e: React.KeyboardEvent) => (e.key === " " || e.key === "Enter") && (e.preventDefault(), paint(i, !masked))}
            sx={{ p: 0, border: "1px solid rgb(255 255 255 / 14%)", cursor: "pointer", background: masked ? "rgb(10 14 16 / 78%)" : `rgb(242 184 75 / ${Math.min(70, percent * 2)}%)` }}
          />
        );
      })}
    </Box>
  );
}

/** The last two minutes, with the threshold. */
function History({ motion, threshold }: { motion: Motion | undefined; threshold: number }) {
  const points = motion?.points ?? [];
  const [width, height] = [420, 64];
  const most = Math.max(2 * threshold, ...points.map((p) => p.changedPercent));
  const y = (v: number) => height - (v / most) * (height - 4);
  const path = points.map((p, i) => `${i === 0 ? "M" : "L"}${((i * width) / Math.max(1, points.length - 1)).toFixed(1)} ${y(p.changedPercent).toFixed(1)}`).join("");
  return (
    <Box component="svg" viewBox={`0 0 ${width} ${height}`} role="img" aria-label="How much changed in the last two minutes" sx={{ display: "block", width: "100%", maxWidth: width, my: 1, bgcolor: "action.hover", borderRadius: 1 }}>
      <Box component="path" d={path} sx={{ fill: "none", stroke: "var(--mui-palette-primary-main)", strokeWidth: 1.5 }} />
      <Box component="line" x1={0} x2={width} y1={y(threshold)} y2={y(threshold)} sx={{ stroke: "var(--mui-palette-error-main)", strokeDasharray: "4 3" }} />
    </Box>
  );
}
