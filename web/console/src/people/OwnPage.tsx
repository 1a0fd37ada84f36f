import Stack from "@mui/material/Stack";
import Typography from "@mui/material/Typography";

import type { Me } from "../api/client";
import { OwnPassword } from "./OwnPassword";
import { SecondFactor } from "./SecondFactor";
import { Sessions } from "./Sessions";

/** One's own account. */
export function OwnPage({ me }: { me: Me }) {
  return (
    <Stack spacing={2} sx={{ maxWidth: 640 }}>
      <Stack>
        <Typography variant="h1">{me.name}</Typography>
        <Typography variant="body2" color="textSecondary">
          {me.role === "engineer" ? "An engineer: you see and change everything." : "A viewer: you see the feeds that are yours."}
        </Typography>
      </Stack>
      <OwnPassword />
      <SecondFactor me={me} />
      <Sessions all={false} title="Where you are signed in" />
    </Stack>
  );
}
