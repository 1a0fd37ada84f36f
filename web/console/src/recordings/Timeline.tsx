import Box from "@mui/material/Box";
import Paper from "@mui/material/Paper";
import Typography from "@mui/material/Typography";
import { useRef, useState, type KeyboardEvent, type PointerEvent, type WheelEvent } from "react";

import { at } from "../api/base";
import type { Span } from "./queries";
import { pan, share, ticks, tickText, zoom, type Window } from "./window";

export interface Marked {
  from: number;
  to: number;
}

interface TimelineProps {
  feed: string;
  window: Window;
  spans: readonly Span[];
  /** The moment that is on show. */
  shown: number | null;
  marked: Marked | null;
  onWindow: (w: Window) => void;
  onMoment: (date: number) => void;
  onMarked: (m: Marked | null) => void;
}

const wheelStep = 1.25;
const dragLeast = 6; // pixels; less is a press
const arrowStep = 10_000;

/** What there is, and gaps; a press goes to a moment, a drag marks a time, the wheel zooms. */
export function Timeline({ feed, window, spans, shown, marked, onWindow, onMoment, onMarked }: TimelineProps) {
  const bar = useRef<HTMLDivElement>(null);
  const [hover, setHover] = useState<number | null>(null);
  const begun = useRef<{ x: number; date: number } | null>(null);
  const dateOf = (x: number) => {
    const r = bar.current?.getBoundingClientRect();
    return r ? window.from + ((x - r.left) / r.width) * (window.to - window.from) : window.from;
  };
  const onMove = (e: PointerEvent) => {
    setHover(dateOf(e.clientX));
    if (begun.current && Math.abs(e.clientX - begun.current.x) >= dragLeast) {
      const [from, to] = [begun.current.date, dateOf(e.clientX)].sort((a, b) => a - b) as [number, number];
      onMarked({ from, to });
    }
  };
  const onUp = (e: PointerEvent) => {
    const first = begun.current;
    begun.current = null;
    if (first && Math.abs(e.clientX - first.x) < dragLeast) {
      onMarked(null);
      onMoment(first.date);
    }
  };
  const onWheel = (e: WheelEvent) => {
    if (e.deltaY !== 0) onWindow(zoom(window, e.deltaY > 0 ? wheelStep : 1 / wheelStep, dateOf(e.clientX)));
  };
  const onKey = (e: KeyboardEvent) => {
    const step = { ArrowLeft: -arrowStep, ArrowRight: arrowStep }[e.key];
    const middle = (window.from + window.to) / 2;
    if (step !== undefined) onMoment((shown ?? middle) + step);
    else if (e.key === "+" || e.key === "=") onWindow(zoom(window, 1 / wheelStep, shown ?? middle));
    else if (e.key === "-") onWindow(zoom(window, wheelStep, shown ?? middle));
    else if (e.key === "PageUp") onWindow(pan(window, -0.5));
    else if (e.key === "PageDown") onWindow(pan(window, 0.5));
    else return;
    e.preventDefault();
  };
  const there = hover !== null && spans.some((s) => Date.parse(s.begins) <= hover && hover <= Date.parse(s.ends));
  return (
    <Box sx={{ position: "relative", userSelect: "none" }}>
      {hover !== null && <Preview feed={feed} date={hover} there={there} left={share(hover, window)} />}
      <Box
        ref={bar}
        role="slider"
        tabIndex={0}
        aria-label="Timeline of recordings"
        aria-valuemin={window.from}
        aria-valuemax={window.to}
        aria-valuenow={shown ?? window.to}
        aria-valuetext={shown === null ? "live" : new Date(shown).toLocaleString()}
        onPointerDown={(e) => {
          if (e.button !== 0) return;
          e.currentTarget.setPointerCapture(e.pointerId);
          begun.current = { x: e.clientX, date: dateOf(e.clientX) };
        }}
        onPointerMove={onMove}
        onPointerUp={onUp}
        onPointerLeave={() => setHover(null)}
        onWheel={onWheel}
        onKeyDown={onKey}
        sx={{ position: "relative", height: 56, borderRadius: 1, bgcolor: "action.hover", overflow: "hidden", cursor: "crosshair", touchAction: "none", "&:focus-visible": { outline: 2, outlineColor: "secondary.main" } }}
      >
        {spans.map((s) => (
          <SpanBlock key={`${s.begins}${s.why ?? ""}`} span={s} window={window} />
        ))}
        {marked && <Block from={marked.from} to={marked.to} window={window} sx={{ bgcolor: "secondary.main", opacity: 0.35, top: 0, bottom: 0 }} />}
        {hover !== null && <Mark at={hover} window={window} colour="text.secondary" />}
        {shown !== null && <Mark at={shown} window={window} colour="error.main" wide />}
      </Box>
      <Box sx={{ position: "relative", height: 22, overflow: "hidden" }}>
        {ticks(window, 9).map((t) => (
          <Typography key={t} variant="caption" color="textSecondary" sx={{ position: "absolute", left: `${share(t, window)}%`, transform: "translateX(-50%)", whiteSpace: "nowrap" }}>
            {tickText(t, window)}
          </Typography>
        ))}
      </Box>
    </Box>
  );
}

function SpanBlock({ span, window }: { span: Span; window: Window }) {
  return (
    <Block
      from={Date.parse(span.begins)}
      to={Date.parse(span.ends)}
      window={window}
      sx={{
        bgcolor: span.keep ? "secondary.main" : "primary.main",
        opacity: span.why === "motion" ? 0.65 : 1,
        ...(span.away ? { top: 19, bottom: 19 } : { top: 10, bottom: 10 }), // half as high: in the object store alone
      }}
    />
  );
}

function Block({ from, to, window, sx }: { from: number; to: number; window: Window; sx: object }) {
  const left = Math.max(0, share(from, window));
  const right = Math.min(100, share(to, window));
  if (right <= 0 || left >= 100) return null;
  return <Box sx={{ position: "absolute", left: `${left}%`, width: `max(2px, ${right - left}%)`, borderRadius: 0.5, pointerEvents: "none", ...sx }} />;
}

function Mark({ at: moment, window, colour, wide }: { at: number; window: Window; colour: string; wide?: boolean }) {
  return <Box sx={{ position: "absolute", top: 0, bottom: 0, left: `${share(moment, window)}%`, width: wide ? "3px" : "1px", ml: wide ? "-1px" : 0, bgcolor: colour, pointerEvents: "none" }} />;
}

const previewWidth = 176;
const previewEvery = 4000; // a picture for so many milliseconds, so that the mouse does not ask for hundreds

function Preview({ feed, date, there, left }: { feed: string; date: number; there: boolean; left: number }) {
  const still = new Date(Math.floor(date / previewEvery) * previewEvery).toISOString();
  return (
    <Paper
      elevation={4}
      sx={{ position: "absolute", bottom: "100%", mb: 1, left: `clamp(0px, calc(${left}% - ${previewWidth / 2}px), calc(100% - ${previewWidth}px))`, width: previewWidth, zIndex: 2, pointerEvents: "none", overflow: "hidden" }}
    >
      {there && <Box component="img" alt="" src={at(`/media/${encodeURIComponent(feed)}/past/still.jpg?at=${still}`)} sx={{ display: "block", width: "100%", aspectRatio: "16/9", objectFit: "cover", bgcolor: "action.hover" }} />}
      <Typography variant="caption" sx={{ display: "block", textAlign: "center", py: 0.3, fontVariantNumeric: "tabular-nums" }}>
        {new Date(date).toLocaleString(undefined, { weekday: "short", hour: "2-digit", minute: "2-digit", second: "2-digit" })}
        {!there && ": nothing"}
      </Typography>
    </Paper>
  );
}
