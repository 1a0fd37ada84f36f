/** How many columns make the pictures of a wall largest; pictures are 16 wide and 9 high. */
export function gridOf(count: number, width: number, height: number): number {
  let best = 1;
  let largest = 0;
  for (let columns = 1; columns <= count; columns++) {
    const rows = Math.ceil(count / columns);
    const wide = Math.min(width / columns, ((height / rows) * 16) / 9);
    if (wide >= largest) {
      largest = wide;
      best = columns;
    }
  }
  const legible = 240; // pixels; a wall that does not fit scrolls
  return largest < legible ? Math.max(1, Math.floor(width / legible)) : best;
}
