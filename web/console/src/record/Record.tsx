import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Skeleton from "@mui/material/Skeleton";
import Stack from "@mui/material/Stack";
import Typography from "@mui/material/Typography";
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";

import { problemOf } from "../api/client";
import { length, moment } from "../look/numbers";
import { ProblemBox } from "../parts/ProblemBox";
import { StripChart } from "../parts/StripChart";
import { availabilityQuery, type Outage } from "./queries";

const few = 5;

/** How a feed was: 24 hours, 30 days, outages. */
export function Record({ feed }: { feed: string }) {
  const { data, error } = useQuery(availabilityQuery(feed));
  const [all, setAll] = useState(false);
  if (error) return <ProblemBox problem={problemOf(error)} />;
  if (!data) return <Skeleton height={90} />;
  const outages = data.outages ?? [];
  return (
    <Stack spacing={1.5}>
      <Line title="24 hours" percent={data.dayPercent} strip={data.day} />
      <Line title="30 days" percent={data.monthPercent} strip={data.month} />
      {data.why && <Typography variant="body2" color="warning.main">It comes poorly now: {data.why}.</Typography>}
      {outages.length === 0 && <Typography variant="body2" color="textSecondary">No outages in 30 days.</Typography>}
      <Box component="ul" sx={{ listStyle: "none", m: 0, p: 0 }}>
        {outages.slice(0, all ? undefined : few).map((o) => (
          <OutageLine key={o.began} outage={o} />
        ))}
      </Box>
      {outages.length > few && !all && (
        <Button size="small" sx={{ alignSelf: "start" }} onClick={() => setAll(true)}>
          Show all {outages.length} outages
        </Button>
      )}
    </Stack>
  );
}

function Line({ title, percent, strip }: { title: string; percent: number | undefined; strip: { begins: string; cellSeconds: number; cells: string } }) {
  const share = percent === undefined ? "not known yet" : `${percent.toFixed(2)} %`;
  return (
    <Box sx={{ display: "grid", gridTemplateColumns: "5rem 1fr 6rem", gap: 1.5, alignItems: "center" }}>
      <Typography variant="body2">{title}</Typography>
      <StripChart begins={strip.begins} cellSeconds={strip.cellSeconds} cells={strip.cells} label={`${title}: available ${share}`} />
      <Typography variant="body2" sx={{ textAlign: "right", fontVariantNumeric: "tabular-nums" }}>
        {share}
      </Typography>
    </Box>
  );
}

function OutageLine({ outage }: { outage: Outage }) {
  return (
    <Box component="li" sx={{ display: "grid", gridTemplateColumns: { xs: "1fr", sm: "11rem 7rem 1fr" }, columnGap: 1.5, py: 0.5 }}>
      <Typography variant="body2" color="textSecondary">
        {moment(outage.began)}
      </Typography>
      <Typography variant="body2" sx={{ fontWeight: 600, color: outage.over ? "text.primary" : "error.main" }}>
        {length(outage.seconds)}
        {!outage.over && ", goes on"}
      </Typography>
      <Typography variant="body2">{outage.reason}</Typography>
    </Box>
  );
}
