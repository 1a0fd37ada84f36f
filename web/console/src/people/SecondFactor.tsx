import Button from "@mui/material/Button";
import Stack from "@mui/material/Stack";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState, type FormEvent } from "react";

import { client, dataOf, problemOf, type Me } from "../api/client";
import { meQuery } from "../api/queries";
import { CopyLine } from "../parts/CopyLine";
import { ProblemBox } from "../parts/ProblemBox";
import { QrCode } from "../parts/QrCode";
import { Section } from "../parts/Section";

/** Sets a second factor up, or takes it away. */
export function SecondFactor({ me }: { me: Me }) {
  const queries = useQueryClient();
  const [code, setCode] = useState("");
  const make = useMutation({ mutationFn: async () => dataOf(await client.POST("/api/v1/me/second")) });
  const set = useMutation({
    mutationFn: async () => dataOf(await client.PUT("/api/v1/me/second", { body: { code, secret: make.data?.secret } })),
    onSuccess: async () => {
      setCode("");
      make.reset();
      await queries.invalidateQueries({ queryKey: meQuery.queryKey });
    },
  });
  const failed = [make, set].find((m) => m.isError);
  const submit = (e: FormEvent) => {
    e.preventDefault();
    set.mutate();
  };
  const hint = me.second
    ? "Signing in asks for a code of your authenticator, too. Basic and Digest are refused for your account."
    : "Signing in then asks for a code of an authenticator, besides the password.";
  return (
    <Section title="Second factor" hint={hint}>
      <Stack component="form" onSubmit={submit} spacing={2} sx={{ alignItems: "start" }}>
        {!me.second && !make.data && (
          <Button variant="outlined" loading={make.isPending} onClick={() => make.mutate()}>
            Set it up
          </Button>
        )}
        {make.data && (
          <Stack direction={{ xs: "column", sm: "row" }} spacing={2}>
            <QrCode text={make.data.url} size={180} />
            <Stack spacing={1}>
              <Typography variant="body2">Take this into your authenticator, then type the code that it shows.</Typography>
              <CopyLine label="Secret, to type in" text={make.data.secret} />
            </Stack>
          </Stack>
        )}
        {(make.data || me.second) && (
          <Stack direction="row" spacing={2}>
            <TextField label="Code" value={code} onChange={(e) => setCode(e.target.value)} autoComplete="one-time-code" required slotProps={{ htmlInput: { inputMode: "numeric", maxLength: 7 } }} />
            <Button type="submit" variant={me.second ? "outlined" : "contained"} color={me.second ? "error" : "primary"} loading={set.isPending} sx={{ whiteSpace: "nowrap", flexShrink: 0 }}>
              {me.second ? "Take it away" : "Switch it on"}
            </Button>
          </Stack>
        )}
        {failed && <ProblemBox problem={problemOf(failed.error)} />}
      </Stack>
    </Section>
  );
}
