import Box from "@mui/material/Box";
import Stack from "@mui/material/Stack";
import Tooltip from "@mui/material/Tooltip";
import Typography from "@mui/material/Typography";

import { Section } from "../parts/Section";
import { seconds } from "./Summary";
import { names, type Outlook, type Plan } from "./usePlan";

const colours = ["primary.main", "info.main", "success.main", "warning.main", "text.secondary", "error.main"];

/** What each delay is made of, as bars to one scale. */
export function Parts({ plan }: { plan: Plan }) {
  const list = plan.deliveries ?? [];
  const longest = Math.max(...list.map((d) => d.seconds), 0.1);
  const kinds = [...new Set(list.flatMap((d) => (d.parts ?? []).map((p) => p.name)))];
  const l = plan.lengths;
  const hls = list.find((d) => d.delivery === "hls");
  return (
    <Section
      title="What the delay is made of"
      hint={`Segments of ${l.segmentSeconds} s${l.partSeconds ? `, parts of ${l.partSeconds} s` : ""}, a list of ${l.playlistLength}: a window of ${hls?.windowSeconds?.toFixed(1) ?? "–"} s. Players that are not ours stay ${hls?.holdBackSeconds?.toFixed(1) ?? "–"} s behind its end.`}>
      <Stack spacing={1}>
        {list.map((d) => (
          <Bar key={d.delivery} d={d} longest={longest} kinds={kinds} />
        ))}
      </Stack>
      <Stack direction="row" spacing={2} useFlexGap sx={{ mt: 1.5, flexWrap: "wrap" }}>
        {kinds.map((k, i) => (
          <Stack key={k} direction="row" spacing={0.75} sx={{ alignItems: "center" }}>
            <Box sx={{ width: 12, height: 12, borderRadius: 0.5, bgcolor: colours[i % colours.length], opacity: i < colours.length ? 1 : 0.5 }} />
            <Typography variant="body2">{k}</Typography>
          </Stack>
        ))}
      </Stack>
    </Section>
  );
}

function Bar({ d, longest, kinds }: { d: Outlook; longest: number; kinds: string[] }) {
  return (
    <Box sx={{ display: "grid", gridTemplateColumns: "8rem 1fr 4.5rem", gap: 1, alignItems: "center" }}>
      <Typography variant="body2">{names[d.delivery]}</Typography>
      <Box sx={{ display: "flex", height: 20, borderRadius: 0.5, overflow: "hidden", bgcolor: "action.hover" }}>
        {(d.parts ?? []).map((p) => {
          const i = kinds.indexOf(p.name);
          return (
            <Tooltip key={p.name} title={`${p.name}, ${seconds(p.seconds)}: ${p.why}`}>
              <Box sx={{ width: `${(100 * p.seconds) / longest}%`, bgcolor: colours[i % colours.length], opacity: i < colours.length ? 1 : 0.5 }} />
            </Tooltip>
          );
        })}
      </Box>
      <Typography variant="body2" align="right" sx={{ fontVariantNumeric: "tabular-nums" }}>
        {seconds(d.seconds)}
      </Typography>
    </Box>
  );
}
