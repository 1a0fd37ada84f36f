import Alert from "@mui/material/Alert";
import Autocomplete from "@mui/material/Autocomplete";
import Stack from "@mui/material/Stack";
import TextField from "@mui/material/TextField";

import type { Address } from "../api/client";

const reaches: Record<Address["reach"], string> = { machine: "only this machine gets there", network: "this network gets there", outside: "the outside gets there" };

interface AddressChoiceProps {
  addresses: Address[];
  value: string;
  onChange: (base: string) => void;
}

/** Chooses the address that viewers come by, of those that are known, or another. */
export function AddressChoice({ addresses, value, onChange }: AddressChoiceProps) {
  const chosen = addresses.find((a) => a.url === value);
  return (
    <Stack spacing={1}>
      <Autocomplete
        freeSolo
        disableClearable
        options={addresses.map((a) => a.url)}
        inputValue={value}
        onInputChange={(_, text) => onChange(text.trim().replace(/\/+$/, ""))}
        renderOption={({ key, ...p }, url) => (
          <li key={key} {...p}>
            {url}&ensp;<small>{reaches[addresses.find((a) => a.url === url)?.reach ?? "outside"]}</small>
          </li>
        )}
        renderInput={(p) => <TextField {...p} label="Address that viewers reach" helperText={chosen ? `As far as it tells, ${reaches[chosen.reach]}` : "Of the service, as viewers reach it"} />}
      />
      {chosen?.reach === "machine" && (
        <Alert severity="warning" variant="outlined" sx={{ py: 0 }}>
          Only this machine gets to {chosen.url}. {others(addresses)}
        </Alert>
      )}
    </Stack>
  );
}

function others(addresses: Address[]): string {
  const better = addresses.filter((a) => a.reach !== "machine").map((a) => a.url);
  if (better.length === 0) return "The service listens to this machine alone; start it with --listen :7600 to be reached from elsewhere.";
  return `Viewers elsewhere reach ${better.join(" or ")}.`;
}
