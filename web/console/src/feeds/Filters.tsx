import GridViewIcon from "@mui/icons-material/GridViewOutlined";
import ViewListIcon from "@mui/icons-material/ViewListOutlined";
import Chip from "@mui/material/Chip";
import FormControlLabel from "@mui/material/FormControlLabel";
import MenuItem from "@mui/material/MenuItem";
import Stack from "@mui/material/Stack";
import Switch from "@mui/material/Switch";
import TextField from "@mui/material/TextField";
import ToggleButton from "@mui/material/ToggleButton";
import ToggleButtonGroup from "@mui/material/ToggleButtonGroup";

import type { Feed } from "../api/client";
import { groupOf, groups, tagsOf } from "./choose";
import type { View } from "./useView";

/** What the list shows: searched, by state, by tag, as rows or tiles. */
export function Filters({ feeds, view }: { feeds: Feed[]; view: View }) {
  const tags = tagsOf(feeds);
  const { choice, set } = view;
  const toggle = (key: string) => set("state", (choice.states.includes(key) ? choice.states.filter((s) => s !== key) : [...choice.states, key]).join(","));
  return (
    <Stack direction={{ xs: "column", md: "row" }} spacing={1.25} useFlexGap sx={{ flexWrap: "wrap", alignItems: { md: "center" } }}>
      <TextField fullWidth={false} size="small" label="Search" value={choice.search} onChange={(e) => set("search", e.target.value)} sx={{ flex: "1 1 12rem", maxWidth: { md: 260 } }} />
      <Stack direction="row" spacing={0.75} useFlexGap sx={{ flexWrap: "wrap" }} role="group" aria-label="States">
        {groups.map((g) => {
          const n = feeds.filter((f) => groupOf(f.state) === g.key).length;
          const on = choice.states.includes(g.key);
          return <Chip key={g.key} label={`${g.label} ${n}`} color={g.key === "broken" && n > 0 ? "error" : "default"} variant={on ? "filled" : "outlined"} onClick={() => toggle(g.key)} aria-pressed={on} />;
        })}
      </Stack>
      {tags.length > 0 && (
        <TextField select fullWidth={false} size="small" label="Tag" value={choice.tag} onChange={(e) => set("tag", e.target.value)} sx={{ minWidth: 120 }}>
          <MenuItem value="">All</MenuItem>
          {tags.map((t) => (
            <MenuItem key={t} value={t}>
              {t}
            </MenuItem>
          ))}
        </TextField>
      )}
      {tags.length > 0 && <FormControlLabel control={<Switch size="small" checked={view.grouped} onChange={(_, on) => set("grouped", on ? "1" : "")} />} label="By tag" />}
      <TextField select fullWidth={false} size="small" label="Order" value={choice.order} onChange={(e) => set("order", e.target.value === "name" ? "name" : "")} sx={{ minWidth: 130 }}>
        <MenuItem value="broken">Broken first</MenuItem>
        <MenuItem value="name">By name</MenuItem>
      </TextField>
      <ToggleButtonGroup size="small" exclusive value={view.tiles ? "tiles" : "rows"} onChange={(_, v: string | null) => v && set("as", v === "tiles" ? "tiles" : "")} aria-label="Shown as">
        <ToggleButton value="rows" aria-label="Rows">
          <ViewListIcon fontSize="small" />
        </ToggleButton>
        <ToggleButton value="tiles" aria-label="Tiles">
          <GridViewIcon fontSize="small" />
        </ToggleButton>
      </ToggleButtonGroup>
    </Stack>
  );
}
