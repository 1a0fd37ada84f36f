import Box from "@mui/material/Box";
import { useEffect, useState } from "react";

import { at } from "../api/base";
import type { Feed } from "../api/client";
import { useSeen } from "../parts/useSeen";

const every = 10_000;

/** The feed's latest still. It stays while the next one is on its way, or does not come. */
export function Thumbnail({ feed, wide }: { feed: Feed; wide?: boolean }) {
  const live = feed.state === "live";
  const [place, seen] = useSeen<HTMLDivElement>(); // of many feeds, only those on the screen are asked for
  const src = useStill(feed.name, seen && live && Boolean(feed.deliveries?.includes("still")), wide ? 384 : 192);
  return (
    <Box ref={place} sx={{ aspectRatio: "16 / 9", borderRadius: 1, overflow: "hidden", bgcolor: "action.hover", opacity: live ? 1 : 0.45 }}>
      {src && <Box component="img" src={src} alt="" sx={{ width: "100%", height: "100%", objectFit: "cover", display: "block" }} />}
    </Box>
  );
}

function useStill(feed: string, live: boolean, width: number): string | null {
  const [src, setSrc] = useState<string | null>(null);
  useEffect(() => {
    if (!live) return undefined;
    let next: HTMLImageElement | null = null;
    const ask = () => {
      if (document.hidden) return;
      const image = new Image();
      next = image;
      image.onload = () => setSrc(image.src);
      image.src = at(`/media/${encodeURIComponent(feed)}/still.jpg?size=${width}x&max-age=${every / 1000}&at=${Math.floor(Date.now() / every)}`);
    };
    ask();
    const timer = setInterval(ask, every);
    document.addEventListener("visibilitychange", ask);
    return () => {
      clearInterval(timer);
      document.removeEventListener("visibilitychange", ask);
      if (next) next.onload = null;
    };
  }, [feed, live, width]);
  return src;
}
