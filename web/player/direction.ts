// Where a viewer looks in a picture that is all around, in degrees: pan to the right, tilt
// upward, and how much is seen across.

export interface Direction {
  pan: number;
  tilt: number;
  fov: number;
}

export const ahead: Direction = { pan: 0, tilt: 0, fov: 90 };

const narrowest = 25;
const widest = 120;
const steepest = 85;

/** A direction that can be shown. */
export function proper({ pan, tilt, fov }: Direction): Direction {
  return { pan: ((((pan + 180) % 360) + 360) % 360) - 180, tilt: Math.min(steepest, Math.max(-steepest, tilt)), fov: Math.min(widest, Math.max(narrowest, fov)) };
}

/** What is seen after the picture was dragged by some pixels, of a view so many wide. */
export function dragged(d: Direction, x: number, y: number, width: number): Direction {
  const perPixel = d.fov / Math.max(1, width);
  return proper({ ...d, pan: d.pan - x * perPixel, tilt: d.tilt + y * perPixel });
}

/** Closer, or with a factor above 1 farther. */
export function zoomed(d: Direction, factor: number): Direction {
  return proper({ ...d, fov: d.fov * factor });
}

export type Matrix = readonly number[];

/** Turns what is seen into where it is, by columns: first tilted, then panned. */
export function rotation({ pan, tilt }: Direction): Matrix {
  const [p, t] = [(pan * Math.PI) / 180, (tilt * Math.PI) / 180];
  const [sp, cp, st, ct] = [Math.sin(p), Math.cos(p), Math.sin(t), Math.cos(t)];
  return [cp, 0, -sp, -st * sp, ct, -st * cp, ct * sp, st, ct * cp];
}

/** Where a phone points, from its angles (W3C DeviceOrientation, 4.1) and how its screen is turned. */
export function pointed(alpha: number, beta: number, gamma: number, screen: number): { pan: number; tilt: number } {
  const rad = Math.PI / 180;
  const [a, b, g] = [alpha * rad, beta * rad, gamma * rad];
  // The direction that the back of the phone looks in: east, north and up.
  const east = -Math.cos(a) * Math.sin(g) - Math.sin(a) * Math.sin(b) * Math.cos(g);
  const north = -Math.sin(a) * Math.sin(g) + Math.cos(a) * Math.sin(b) * Math.cos(g);
  const up = -Math.cos(b) * Math.cos(g);
  const pan = Math.atan2(east, north) / rad;
  return { pan: screen === 180 ? -pan : pan, tilt: Math.asin(Math.max(-1, Math.min(1, up))) / rad };
}
