import FormControlLabel from "@mui/material/FormControlLabel";
import Switch from "@mui/material/Switch";
import TextField from "@mui/material/TextField";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";

import { client, dataOf, problemOf } from "../api/client";
import { FormDialog } from "../parts/FormDialog";

const gigabyte = 1e9;

/** Sets what may be sent to viewers in a month. */
export function AllowanceDialog({ allowance, onClose }: { allowance: { bytes: number; stop: boolean }; onClose: () => void }) {
  const [gigabytes, setGigabytes] = useState(allowance.bytes ? String(allowance.bytes / gigabyte) : "");
  const [stop, setStop] = useState(allowance.stop);
  const queries = useQueryClient();
  const save = useMutation({
    mutationFn: async () => dataOf(await client.PUT("/api/v1/usage/allowance", { body: { bytes: Math.round(Number(gigabytes || 0) * gigabyte), stop } })),
    onSuccess: async () => {
      await queries.invalidateQueries({ queryKey: ["usage"] });
      onClose();
    },
  });
  return (
    <FormDialog title="Allowance of a month" action="Set" width="xs" pending={save.isPending} problem={save.isError ? problemOf(save.error) : undefined} onSubmit={() => save.mutate()} onClose={onClose}>
      <TextField autoFocus label="Gigabytes a month" type="number" value={gigabytes} onChange={(e) => setGigabytes(e.target.value)} helperText="Empty for no allowance. At four fifths of it there is a warning." slotProps={{ htmlInput: { min: 0, step: "any" } }} />
      <FormControlLabel control={<Switch checked={stop} onChange={(_, on) => setStop(on)} />} label="Let no new viewers in beyond it" />
    </FormDialog>
  );
}
