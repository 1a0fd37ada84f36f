import Box from "@mui/material/Box";
import Typography from "@mui/material/Typography";

import type { Feed } from "../api/client";
import { bits, rate, size } from "../look/numbers";

function facts(f: Feed): [string, string][] {
  const s = f.session;
  const list: [string, string][] = [
    ["Picture", size(f.width, f.height)],
    ["Frame rate", rate(f.frameRate)],
    ["Bit rate", bits(f.bitRate)],
  ];
  if (s?.codec === "JPEG") {
    list.push(
      ["Codec", `JPEG ${s.sampling ?? ""}`],
      ["Got as", s.transport === "poll" ? `one picture every ${f.camera.pollSeconds} s` : "a stream"],
      ["Frames left out", String(s.dropped)],
      ["Capture time", s.senderReports ? "from the camera" : "from arrival"],
    );
    if (s.transport === "poll") list.push(["Unchanged", `${s.unchanged} times`]);
    else if (s.reopened > 0) list.push(["Reopened", `${s.reopened} times`]);
  } else if (s) {
    list.push(
      ["Keyframes", f.keyframeSeconds ? `every ${f.keyframeSeconds.toFixed(2)} s` : "–"],
      ["Codec", `${s.codec} ${s.profile ?? ""} ${s.level ?? ""}`],
      ["Transport", s.transport.toUpperCase()],
      ...(s.from ? ([["From", s.server ? `${s.from} (${s.server})` : s.from]] as [string, string][]) : []),
      ["Loss", `${s.lost} of ${s.packets + s.lost} packets`],
      ...(s.receiveBufferBytes ? ([["Receive buffer", `${Math.round(s.receiveBufferBytes / 1024)} KiB, ${s.overflow} datagrams lost in it`]] as [string, string][]) : []),
      ["Frames dropped", String(s.dropped)],
      ["Capture time", s.senderReports ? "from the camera" : "from arrival"],
    );
  }
  list.push(
    ["Delay", f.delivery.within > 0 ? `${f.delivery.within} s at most` : "as cheap as can be"],
    ["HLS segments", f.targetSeconds ? `${f.targetSeconds} s` : "–"],
    ["Viewers", String(f.viewers)],
  );
  if (f.camera.url) list.push(["Camera", f.camera.url], ["Credentials", f.credentials ? "kept, sealed" : "none"]); // told to engineers
  return list;
}

export function Facts({ feed }: { feed: Feed }) {
  return (
    <Box component="dl" sx={{ m: 0, display: "grid", gridTemplateColumns: "auto minmax(0, 1fr)", columnGap: 2, rowGap: 0.5 }}>
      {facts(feed).map(([name, value]) => (
        <Box key={name} sx={{ display: "contents" }}>
          <Typography component="dt" variant="body2" color="textSecondary">
            {name}
          </Typography>
          <Typography component="dd" variant="body2" sx={{ m: 0, overflowWrap: "anywhere", fontVariantNumeric: "tabular-nums" }}>
            {value}
          </Typography>
        </Box>
      ))}
    </Box>
  );
}
