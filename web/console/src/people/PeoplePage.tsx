import Stack from "@mui/material/Stack";
import Typography from "@mui/material/Typography";

import type { Me } from "../api/client";
import { Accounts } from "./Accounts";
import { Sessions } from "./Sessions";
import { Tokens } from "./Tokens";

/** Who may sign in, and what is signed in. */
export function PeoplePage({ me }: { me: Me }) {
  return (
    <Stack spacing={2}>
      <Typography variant="h1">People and programs</Typography>
      <Accounts me={me} />
      <Tokens />
      <Sessions all title="Browsers that are signed in" />
    </Stack>
  );
}
