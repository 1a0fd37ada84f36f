import Box from "@mui/material/Box";

import type { Feed } from "../api/client";

type State = Feed["state"];

const colours: Record<State, string> = {
  live: "success.main",
  idle: "text.secondary",
  connecting: "warning.main",
  waiting: "info.main",
  stalled: "warning.main",
  retrying: "warning.main",
  refused: "error.main",
  off: "text.disabled",
};

/** The state as a word with a mark; the mark's shape tells it without colour. */
export function StateMark({ state }: { state: State }) {
  const hollow = ["off", "idle", "connecting", "waiting", "retrying"].includes(state);
  return (
    <Box component="span" sx={{ display: "inline-flex", alignItems: "center", gap: 0.9, fontWeight: 600, color: colours[state] }}>
      <Box
        component="span"
        aria-hidden
        sx={{
          width: 10,
          height: 10,
          borderRadius: state === "refused" || state === "stalled" ? "2px" : "50%",
          border: "2px solid currentColor",
          bgcolor: hollow ? "transparent" : "currentColor",
        }}
      />
      {state}
    </Box>
  );
}
