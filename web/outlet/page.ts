// The page beside a feed's files on somebody's own web server: it plays index.m3u8 of its own
// folder, and comes back by itself.
import Hls from "hls.js";

const list = "index.m3u8";
const retry = 3000;
const still = 15_000; // without anything moving it is begun anew

const video = document.querySelector("video") as HTMLVideoElement;
const told = document.querySelector("p") as HTMLParagraphElement;
let hls: Hls | null = null;
let again: ReturnType<typeof setTimeout> | undefined;
let moved = Date.now();
let position = -1;

const byItself = video.canPlayType("application/vnd.apple.mpegurl") !== "" && navigator.vendor.startsWith("Apple");

function say(text: string): void {
  if (told.textContent !== text) told.textContent = text;
}

function later(): void {
  hls?.destroy();
  hls = null;
  clearTimeout(again);
  again = setTimeout(() => void begin(), retry);
}

async function begin(): Promise<void> {
  moved = Date.now();
  const there = await fetch(list, { cache: "no-store" }).then((r) => r.ok).catch(() => false);
  if (!there) {
    say("There is no picture at the moment.");
    later();
    return;
  }
  if (byItself) {
    video.src = list;
  } else if (Hls.isSupported()) {
    hls = new Hls({ lowLatencyMode: false, liveSyncDurationCount: 3, liveMaxLatencyDurationCount: 10 });
    hls.on(Hls.Events.ERROR, (_, data) => {
      if (data.fatal) later();
    });
    hls.loadSource(list);
    hls.attachMedia(video);
  } else {
    say("This browser plays no HLS.");
    return;
  }
  await video.play().catch(() => undefined);
}

video.addEventListener("playing", () => say(""));
video.addEventListener("error", later);
setInterval(() => {
  if (video.currentTime !== position || video.paused) {
    position = video.currentTime;
    moved = Date.now();
  } else if (Date.now() - moved > still) {
    say("The picture is awaited …");
    later();
    moved = Date.now();
  }
}, 1000);
void begin();
