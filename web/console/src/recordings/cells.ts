// The cells of a picture that are not looked at for motion: nine rows of sixteen.
export const columns = 16;
export const rows = 9;

export type Cells = boolean[];

/** Reads a mask as the service writes it; empty masks nothing. */
export function readMask(text: string): Cells {
  const cells = text.replaceAll("/", "");
  return Array.from({ length: rows * columns }, (_, i) => cells[i] === "x");
}

export function writeMask(cells: Cells): string {
  if (!cells.includes(true)) return "";
  const line = (y: number) => cells.slice(y * columns, (y + 1) * columns).map((on) => (on ? "x" : ".")).join("");
  return Array.from({ length: rows }, (_, y) => line(y)).join("/");
}

/** How much of what is not masked changes, per cent. */
export function changed(percent: readonly (readonly number[])[], mask: Cells): number {
  const looked = percent.flat().filter((_, i) => !mask[i]);
  return looked.length === 0 ? 0 : looked.reduce((a, b) => a + b, 0) / looked.length;
}
