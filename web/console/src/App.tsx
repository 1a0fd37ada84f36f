import Box from "@mui/material/Box";
import CircularProgress from "@mui/material/CircularProgress";
import { useQuery } from "@tanstack/react-query";
import { Navigate, Route, Routes } from "react-router";

import { AlertsPage } from "./alerts/AlertsPage";
import { Problem, problemOf } from "./api/client";
import { meQuery } from "./api/queries";
import { ComparePage } from "./compare/ComparePage";
import { EventsPage } from "./events/EventsPage";
import { FeedPage } from "./feed/FeedPage";
import { FeedsPage } from "./feeds/FeedsPage";
import { Live } from "./live/Live";
import { MorningPage } from "./morning/MorningPage";
import { Frame } from "./parts/Frame";
import { OwnPage } from "./people/OwnPage";
import { PlanPage } from "./plan/PlanPage";
import { PeoplePage } from "./people/PeoplePage";
import { ProblemBox } from "./parts/ProblemBox";
import { FilmsPage } from "./films/FilmsPage";
import { RecordingsPage } from "./recordings/RecordingsPage";
import { WaysInPage } from "./reach/WaysInPage";
import { SearchPage } from "./search/SearchPage";
import { SignInPage } from "./signin/SignInPage";
import { TurnsPage } from "./turns/TurnsPage";
import { UsagePage } from "./usage/UsagePage";

export function App() {
  const me = useQuery(meQuery);
  if (me.isPending) {
    return (
      <Box sx={{ display: "grid", placeItems: "center", height: "100vh" }}>
        <CircularProgress aria-label="Loading" />
      </Box>
    );
  }
  if (me.isError && me.error instanceof Problem && me.error.status === 401) return <SignInPage />;
  if (me.isError) {
    return (
      <Box sx={{ p: 4 }}>
        <ProblemBox problem={problemOf(me.error)} />
      </Box>
    );
  }
  return (
    <Live>
      <Frame me={me.data}>
        <Routes>
          <Route path="/" element={<FeedsPage me={me.data} />} />
          <Route path="/feeds/:name" element={<FeedPage me={me.data} />} />
          <Route path="/feeds/:name/compare" element={<ComparePage />} />
          <Route path="/feeds/:name/plan" element={<PlanPage me={me.data} />} />
          <Route path="/feeds/:name/recordings" element={<RecordingsPage me={me.data} />} />
          <Route path="/feeds/:name/films" element={<FilmsPage me={me.data} />} />
          <Route path="/feeds/:name/turns" element={<TurnsPage me={me.data} />} />
          <Route path="/search" element={<SearchPage />} />
          <Route path="/people" element={<PeoplePage me={me.data} />} />
          <Route path="/account" element={<OwnPage me={me.data} />} />
          <Route path="/events" element={<EventsPage />} />
          <Route path="/morning" element={<MorningPage />} />
          <Route path="/ways-in" element={<WaysInPage />} />
          <Route path="/usage" element={<UsagePage />} />
          <Route path="/alerts" element={<AlertsPage />} />
          <Route path="*" element={<Navigate to="/" replace />} />
        </Routes>
      </Frame>
    </Live>
  );
}
