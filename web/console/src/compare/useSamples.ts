import { useEffect, useRef, useState } from "react";

import { at } from "../api/base";
import { compareClocks } from "../../../player/link";
import { ClockReader } from "./clock";
import { forEach, type Sample, type Way, ways } from "./measure";

const every = 250;
const kept = 240; // a minute

export type Samples = Record<Way, Sample[]>;

const none: Samples = forEach(() => []);

/** Looks at the deliveries in a box four times a second, and keeps a minute of it. */
export function useSamples(box: React.RefObject<HTMLElement | null>, feed: string): Samples {
  const [samples, setSamples] = useState<Samples>(none);
  const offset = useRef(0); // of the service's clock
  useEffect(() => {
    let ended = false;
    let timer: ReturnType<typeof setInterval> | undefined;
    const begin = async () => {
      offset.current = (await compareClocks(at(`/media/${encodeURIComponent(feed)}/time`)))?.offset ?? 0;
      const { default: read } = await import("jsqr");
      const pen = document.createElement("canvas").getContext("2d", { willReadFrequently: true });
      if (ended || !pen) return;
      const clocks = forEach(() => new ClockReader(read, pen));
      timer = setInterval(() => {
        // Each look has a time of its own: reading a clock takes as long as a picture is new.
        const seen = ways.map(({ way }) => ({ way, sample: look(box.current, way, Date.now() + offset.current, clocks[way]) }));
        setSamples((before) => {
          const next = { ...before };
          for (const { way, sample } of seen) next[way] = [...before[way], sample].slice(-kept);
          return next;
        });
      }, every);
    };
    void begin();
    return () => {
      ended = true;
      clearInterval(timer);
    };
  }, [box, feed]);
  return samples;
}

function look(box: HTMLElement | null, way: Way, now: number, clock: ClockReader): Sample {
  const tile = box?.querySelector<HTMLElement>(`[data-way="${way}"]`);
  const player = tile?.querySelector<HTMLElement>("webostrum-player");
  const picture = tile?.querySelector("img") ?? player?.shadowRoot?.querySelector("video");
  const taken = picture ? clock.capturedAt(picture) : null;
  const frames = picture instanceof HTMLVideoElement ? picture.getVideoPlaybackQuality().totalVideoFrames : null;
  if (taken !== null) return { at: now, delay: now - taken, byPixels: true, frames };
  const said = player?.dataset.status === "playing" ? Number(player.dataset.delay) : NaN;
  return { at: now, delay: Number.isFinite(said) ? said : null, byPixels: false, frames };
}
