import ArrowBackIcon from "@mui/icons-material/ArrowBack";
import CodeIcon from "@mui/icons-material/Code";
import CompareIcon from "@mui/icons-material/CompareOutlined";
import HistoryIcon from "@mui/icons-material/History";
import MovieIcon from "@mui/icons-material/MovieOutlined";
import RepeatIcon from "@mui/icons-material/Repeat";
import StraightenIcon from "@mui/icons-material/StraightenOutlined";
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Stack from "@mui/material/Stack";
import Typography from "@mui/material/Typography";
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Link, useLocation, useParams } from "react-router";

import type { Feed, Me } from "../api/client";
import { feedsQuery } from "../api/queries";
import { Audience } from "../access/Audience";
import { Links } from "../access/Links";
import { EmbedDialog } from "../embed/EmbedDialog";
import { EventList } from "../events/EventList";
import { useLiveState } from "../live/Live";
import { span } from "../look/numbers";
import { Section } from "../parts/Section";
import { StateMark } from "../parts/StateMark";
import { Publishing } from "../publish/Publishing";
import { Record } from "../record/Record";
import { Actions } from "./Actions";
import { Addresses } from "./Addresses";
import { Facts } from "./Facts";
import { Pictures } from "./Pictures";
import { RateChart } from "./RateChart";
import { Renditions } from "./Renditions";
import { Requests } from "./Requests";
import { Audio } from "./Audio";
import { Camera } from "./Camera";
import { Viewers } from "./Viewers";

export function FeedPage({ me }: { me: Me }) {
  const { name = "" } = useParams();
  const made = (useLocation().state as { key?: string } | null)?.key;
  const feeds = useQuery(feedsQuery);
  const feed = feeds.data?.find((f) => f.name === name);
  const [preview, setPreview] = useState<string | null>(null);
  const engineer = me.role === "engineer"; // who watches and what happened is not for viewers
  if (!feed) {
    return (
      <Stack spacing={2}>
        <BackLink />
        {feeds.data && <Typography>There is no feed called “{name}”.</Typography>}
      </Stack>
    );
  }
  return (
    <Stack spacing={2}>
      <Head feed={feed} me={me} />
      <Box sx={{ display: "grid", gap: 2, gridTemplateColumns: { xs: "minmax(0, 1fr)", md: "minmax(0, 2fr) minmax(280px, 1fr)" }, alignItems: "start" }}>
        <Stack spacing={2}>
          <Pictures feed={feed} preview={preview} />
          {engineer && feed.publish.pushed && (
            <Section title="Publishing" hint="No camera is opened: somebody sends to this feed.">
              <Publishing feed={feed} madeKey={made} />
            </Section>
          )}
          <Section title="Renditions">
            <Renditions feed={feed} mayChange={engineer} preview={preview} onPreview={setPreview} />
          </Section>
          <Section title="Coming in">
            <RateChart feed={feed.name} />
          </Section>
          {engineer && (
            <Section title="How it was">
              <Record feed={feed.name} />
            </Section>
          )}
          {engineer && feed.camera.device && (
            <Section title="Camera" hint="By ONVIF: what is set here is set in the camera itself.">
              <Camera feed={feed.name} />
            </Section>
          )}
          {engineer && !feed.publish.pushed && (
            <Section title="Camera requests">
              <Requests feed={feed} />
            </Section>
          )}
          {engineer && (
            <Section title="Events">
              <EventList feed={feed.name} limit={8} />
            </Section>
          )}
        </Stack>
        <Stack spacing={2}>
          <Section title="Who may watch">
            <Audience feed={feed} mayChange={engineer} />
          </Section>
          {engineer && (
            <Section title="Links">
              <Links feed={feed} />
            </Section>
          )}
          <Section title="Facts">
            <Facts feed={feed} />
          </Section>
          {feed.session && !feed.camera.url.startsWith("http") && (
            <Section title="Sound">
              <Audio feed={feed} />
            </Section>
          )}
          <Section title="Addresses">
            <Addresses feed={feed} />
          </Section>
          {engineer && (
            <Section title="Viewers">
              <Viewers feed={feed.name} />
            </Section>
          )}
        </Stack>
      </Box>
    </Stack>
  );
}

function BackLink() {
  return (
    <Button component={Link} to="/" startIcon={<ArrowBackIcon />} sx={{ alignSelf: "start", ml: -1 }}>
      Feeds
    </Button>
  );
}

function Head({ feed, me }: { feed: Feed; me: Me }) {
  const { now } = useLiveState();
  const [embedding, setEmbedding] = useState(false);
  return (
    <Stack spacing={1}>
      <Stack direction="row" spacing={1} useFlexGap sx={{ justifyContent: "space-between", alignItems: "center", flexWrap: "wrap" }}>
        <BackLink />
        <Stack direction="row" spacing={1} useFlexGap sx={{ flexWrap: { xs: "wrap", sm: "nowrap" } }}>
          <Button variant="contained" startIcon={<CodeIcon />} onClick={() => setEmbedding(true)}>
            Put it into a page
          </Button>
          <Button component={Link} to={`/feeds/${feed.name}/plan`} startIcon={<StraightenIcon />}>
            Plan
          </Button>
          {(me.role === "engineer" || feed.recording.goBack) && (
            <Button component={Link} to={`/feeds/${feed.name}/recordings`} startIcon={<HistoryIcon />}>
              Recordings
            </Button>
          )}
          {feed.combined.kind === "turns" && (
            <Button component={Link} to={`/feeds/${feed.name}/turns`} startIcon={<RepeatIcon />}>
              Turns
            </Button>
          )}
          <Button component={Link} to={`/feeds/${feed.name}/films`} startIcon={<MovieIcon />}>
            Films
          </Button>
          <Button component={Link} to={`/feeds/${feed.name}/compare`} startIcon={<CompareIcon />}>
            Compare
          </Button>
          {embedding && <EmbedDialog feed={feed} engineer={me.role === "engineer"} onClose={() => setEmbedding(false)} />}
          {me.role === "engineer" && <Actions feed={feed} />}
        </Stack>
      </Stack>
      <Stack direction="row" spacing={2} useFlexGap sx={{ alignItems: "baseline", flexWrap: "wrap" }}>
        <Typography variant="h1" sx={{ overflowWrap: "anywhere" }}>
          {feed.title}
        </Typography>
        <Box sx={{ whiteSpace: "nowrap" }}>
          <StateMark state={feed.state} />
          <Typography component="span" variant="body2" color="textSecondary">
            {" "}
            for {span(feed.since, now)}
          </Typography>
        </Box>
      </Stack>
    </Stack>
  );
}
