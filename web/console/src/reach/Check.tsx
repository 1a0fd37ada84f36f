import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Stack from "@mui/material/Stack";
import Typography from "@mui/material/Typography";
import { useMutation, useQuery } from "@tanstack/react-query";

import { client, dataOf, problemOf } from "../api/client";
import { CopyLine } from "../parts/CopyLine";
import { ProblemBox } from "../parts/ProblemBox";
import { QrCode } from "../parts/QrCode";
import { Section } from "../parts/Section";
import { checkQuery, type ReachDevice } from "./queries";

/** Has a phone on mobile data, or another machine, try what gets through, and shows what it finds. */
export function Check() {
  const make = useMutation({ mutationFn: async () => dataOf(await client.POST("/api/v1/reach/checks", { body: {} })) });
  const code = make.data?.code;
  return (
    <Section
      title="Try it from outside"
      hint="A phone with its Wi-Fi off tries every way in, and says what gets through and what to do about the rest."
      action={
        <Button variant={code ? "text" : "contained"} loading={make.isPending} onClick={() => make.mutate()}>
          {code ? "Another one" : "Make a check"}
        </Button>
      }
    >
      {make.isError && <ProblemBox problem={problemOf(make.error)} />}
      {make.data && (
        <Stack direction={{ xs: "column", md: "row" }} spacing={3}>
          <Stack spacing={1} sx={{ alignItems: "center" }}>
            <QrCode text={make.data.url} size={200} />
            <Typography variant="caption" color="textSecondary">
              Holds for an hour; whoever has it can watch {make.data.feed ?? "no feed: none is live"}
            </Typography>
          </Stack>
          <Stack spacing={1} sx={{ minWidth: 0, flex: 1 }}>
            <CopyLine label="To open on the phone" text={make.data.url} />
            <CopyLine label="From another machine's command line, which tells more" text={`webostrum reach --from ${make.data.url}`} />
            {code && <Devices code={code} />}
          </Stack>
        </Stack>
      )}
    </Section>
  );
}

function Devices({ code }: { code: string }) {
  const { data } = useQuery(checkQuery(code));
  const devices = data?.devices ?? [];
  if (devices.length === 0) {
    return (
      <Typography variant="body2" color="textSecondary" role="status">
        Nobody has opened it yet. When the phone shows no page at all, the first port does not get through: what the command line says then tells why.
      </Typography>
    );
  }
  return devices.map((d) => <Device key={d.id} device={d} />);
}

function Device({ device }: { device: ReachDevice }) {
  return (
    <Box role="status">
      <Typography variant="body2" sx={{ fontWeight: 650, mt: 1 }}>
        {device.browser || "A device"} at {device.address}
      </Typography>
      {device.findings?.map((f) => {
        const good = f.outcome === "works";
        const neutral = f.outcome === "off" || f.outcome === "not-tried" || f.outcome === "mixed";
        return (
          <Box key={f.trial} sx={{ display: "grid", gridTemplateColumns: "1.4rem 9rem 1fr", py: 0.3 }}>
            <Typography variant="body2" sx={{ fontWeight: 700, color: good ? "success.main" : neutral ? "text.secondary" : "error.main" }}>
              {good ? "✓" : neutral ? "–" : "✕"}
            </Typography>
            <Typography variant="body2">{f.name}</Typography>
            <Typography variant="body2" color="textSecondary">
              {good && !f.remedy ? `${f.millis} ms` : f.sentence} {f.remedy}
            </Typography>
          </Box>
        );
      })}
    </Box>
  );
}
