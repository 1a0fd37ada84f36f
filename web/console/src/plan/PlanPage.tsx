import ArrowBackIcon from "@mui/icons-material/ArrowBack";
import Button from "@mui/material/Button";
import FormControlLabel from "@mui/material/FormControlLabel";
import InputAdornment from "@mui/material/InputAdornment";
import Paper from "@mui/material/Paper";
import Stack from "@mui/material/Stack";
import Switch from "@mui/material/Switch";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useQuery } from "@tanstack/react-query";
import { useCallback, useState } from "react";
import { Link, useParams } from "react-router";

import { problemOf, type Me } from "../api/client";
import type { Way } from "../compare/measure";
import { ProblemBox } from "../parts/ProblemBox";
import { Advice } from "./Advice";
import { LetReport } from "./LetReport";
import { Browsers } from "./Browsers";
import { Measure, type Measured } from "./Measure";
import { Outlooks } from "./Outlooks";
import { Parts } from "./Parts";
import { Summary } from "./Summary";
import { planQuery, type Demand, type Plan } from "./usePlan";

/** What a feed will be like for those who watch, before they do, and measured beside it. */
export function PlanPage({ me }: { me: Me }) {
  const { name = "" } = useParams();
  const [demand, setDemand] = useState<Demand>({ viewers: "1", within: "", uplink: "", listen: false });
  const plan = useQuery(planQuery(name, demand));
  return (
    <Stack spacing={2}>
      <Stack direction="row" spacing={2} useFlexGap sx={{ alignItems: "center", flexWrap: "wrap" }}>
        <Button component={Link} to={`/feeds/${name}`} startIcon={<ArrowBackIcon />} sx={{ ml: -1 }}>
          {name}
        </Button>
        <Typography variant="h1" sx={{ flex: 1 }}>
          Plan
        </Typography>
      </Stack>
      <Who demand={demand} onChange={setDemand} own={plan.data?.within} />
      {plan.isError && <ProblemBox problem={problemOf(plan.error)} />}
      {plan.data && <Sheet feed={name} plan={plan.data} engineer={me.role === "engineer"} />}
    </Stack>
  );
}

function Who({ demand, onChange, own }: { demand: Demand; onChange: (d: Demand) => void; own: number | undefined }) {
  const field = (key: "viewers" | "within" | "uplink", label: string, unit: string, placeholder: string) => (
    <TextField
      label={label}
      type="number"
      value={demand[key]}
      placeholder={placeholder}
      onChange={(e) => onChange({ ...demand, [key]: e.target.value })}
      slotProps={{ htmlInput: { min: 0, step: "any" }, inputLabel: { shrink: true }, input: { endAdornment: <InputAdornment position="end">{unit}</InputAdornment> } }}
    />
  );
  return (
    <Paper sx={{ p: 2 }}>
      <Stack direction={{ xs: "column", sm: "row" }} spacing={2}>
        {field("viewers", "Viewers at a time", "", "1")}
        {field("within", "How far behind at most", "s", own ? `${own}, as the feed has it` : "")}
        {field("uplink", "Uplink", "Mbit/s", "not known")}
        <FormControlLabel label="They listen" sx={{ whiteSpace: "nowrap" }} control={<Switch checked={demand.listen} onChange={(e) => onChange({ ...demand, listen: e.target.checked })} />} />
      </Stack>
    </Paper>
  );
}

function Sheet({ feed, plan, engineer }: { feed: string; plan: Plan; engineer: boolean }) {
  const [measured, setMeasured] = useState<Measured>({});
  const [measuring, setMeasuring] = useState(false);
  const onMeasured = useCallback((way: Way, delay: number | null) => setMeasured((before) => ({ ...before, [way]: delay })), []);
  const onDone = useCallback(() => setMeasuring(false), []);
  const ways = (plan.deliveries ?? []).filter((d) => d.possible).map((d) => d.delivery);
  return (
    <>
      <Summary plan={plan} />
      <Advice feed={feed} plan={plan} engineer={engineer} />
      <Outlooks
        plan={plan}
        measured={measured}
        action={
          <Button variant="outlined" disabled={measuring} onClick={() => setMeasuring(true)}>
            {measuring ? "Measuring …" : "Measure here"}
          </Button>
        }>
        {measuring && <Measure feed={feed} ways={ways} onMeasured={onMeasured} onDone={onDone} />}
      </Outlooks>
      <Parts plan={plan} />
      <Browsers plan={plan} action={engineer && <LetReport feed={feed} />} />
    </>
  );
}
