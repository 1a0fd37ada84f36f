import AddIcon from "@mui/icons-material/Add";
import ArrowBackIcon from "@mui/icons-material/ArrowBack";
import MovieIcon from "@mui/icons-material/MovieOutlined";
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Stack from "@mui/material/Stack";
import Typography from "@mui/material/Typography";
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Link, useParams } from "react-router";

import { problemOf, type Feed, type Me } from "../api/client";
import { feedsQuery } from "../api/queries";
import { ProblemBox } from "../parts/ProblemBox";
import { Section } from "../parts/Section";
import { FilmCard, JobLine } from "./FilmCard";
import { FilmDialog } from "./FilmDialog";
import { filmsQuery, stillsQuery } from "./queries";
import { ScheduleDialog } from "./ScheduleDialog";
import { Schedules } from "./Schedules";

/** Stills that are taken by schedules, and films of them or of recordings. */
export function FilmsPage({ me }: { me: Me }) {
  const { name = "" } = useParams();
  const feed = useQuery(feedsQuery).data?.find((f) => f.name === name);
  const engineer = me.role === "engineer";
  return (
    <Stack spacing={2}>
      <Button component={Link} to={`/feeds/${name}`} startIcon={<ArrowBackIcon />} sx={{ alignSelf: "start", ml: -1 }}>
        {feed?.title ?? name}
      </Button>
      <Typography variant="h1">Stills and films</Typography>
      {feed && <Content feed={feed} engineer={engineer} />}
    </Stack>
  );
}

function Content({ feed, engineer }: { feed: Feed; engineer: boolean }) {
  const stills = useQuery(stillsQuery(feed.name));
  const films = useQuery(filmsQuery(feed.name));
  const [dialog, setDialog] = useState<"schedule" | "film" | null>(null);
  const failed = stills.error ?? films.error;
  const making = (films.data?.jobs ?? []).filter((j) => !j.ended || j.problem).slice(0, 3);
  const list = films.data?.films ?? [];
  return (
    <>
      {failed && <ProblemBox problem={problemOf(failed)} />}
      <Section
        title="Films"
        action={
          engineer && (
            <Button startIcon={<MovieIcon />} onClick={() => setDialog("film")}>
              Make a film
            </Button>
          )
        }
      >
        <Stack spacing={1}>
          {making.map((j) => (
            <JobLine key={j.id} feed={feed.name} job={j} />
          ))}
          {films.data && list.length === 0 && <Typography color="textSecondary">There are no films yet. One can be made of stills, or of what was recorded: a day in one minute.</Typography>}
          <Box sx={{ display: "grid", gap: 2, gridTemplateColumns: "repeat(auto-fill, minmax(min(320px, 100%), 1fr))" }}>
            {list.map((f, i) => (
              <FilmCard key={f.address} feed={feed.name} film={f} engineer={engineer} large={i === 0} />
            ))}
          </Box>
        </Stack>
      </Section>
      <Section
        title="Stills"
        action={
          engineer && (
            <Button startIcon={<AddIcon />} onClick={() => setDialog("schedule")}>
              Take stills
            </Button>
          )
        }
      >
        {stills.data && <Schedules feed={feed} states={stills.data.schedules ?? []} engineer={engineer} />}
      </Section>
      {dialog === "schedule" && <ScheduleDialog feed={feed} onClose={() => setDialog(null)} />}
      {dialog === "film" && <FilmDialog feed={feed} onClose={() => setDialog(null)} />}
    </>
  );
}
