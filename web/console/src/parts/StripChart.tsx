import Box from "@mui/material/Box";

interface StripChartProps {
  begins: string;
  cellSeconds: number;
  cells: string;
  height?: number;
  /** What it is of, for those who hear the page. */
  label: string;
}

const looks: Record<string, { colour: string; name: string; height: number }> = {
  l: { colour: "success.main", name: "live", height: 1 },
  g: { colour: "warning.main", name: "poor pictures", height: 0.75 },
  d: { colour: "error.main", name: "down", height: 1 },
  w: { colour: "info.main", name: "nobody sent", height: 0.25 },
  o: { colour: "text.disabled", name: "off or idle", height: 0.25 },
  ".": { colour: "transparent", name: "the service did not run", height: 1 },
};

interface Run {
  letter: string;
  from: number;
  length: number;
}

/** Cells that follow each other and are alike, as one. */
export function runsOf(cells: string): Run[] {
  const runs: Run[] = [];
  for (let i = 0; i < cells.length; i++) {
    const letter = cells[i] ?? ".";
    const last = runs.at(-1);
    if (last?.letter === letter) last.length++;
    else runs.push({ letter, from: i, length: 1 });
  }
  return runs;
}

const when = (t: number): string => new Date(t).toLocaleString(undefined, { weekday: "short", hour: "2-digit", minute: "2-digit" });

/** How a feed was, as a strip; what was not live is told by the strip's height, too. */
export function StripChart({ begins, cellSeconds, cells, height = 18, label }: StripChartProps) {
  const start = Date.parse(begins);
  const n = Math.max(cells.length, 1);
  return (
    <Box role="img" aria-label={label} sx={{ position: "relative", height, width: 1, bgcolor: "action.hover", borderRadius: 0.5, overflow: "hidden" }}>
      {runsOf(cells).map((r) => {
        const look = looks[r.letter] ?? looks["."];
        const from = start + r.from * cellSeconds * 1000;
        return (
          <Box
            key={r.from}
            title={`${look?.name}, ${when(from)} to ${when(from + r.length * cellSeconds * 1000)}`}
            sx={{ position: "absolute", bottom: 0, left: `${(100 * r.from) / n}%`, width: `${(100 * r.length) / n}%`, minWidth: r.letter === "d" ? 2 : 0, height: `${100 * (look?.height ?? 1)}%`, bgcolor: look?.colour, zIndex: r.letter === "d" ? 1 : 0 }}
          />
        );
      })}
    </Box>
  );
}
