// A clock to hold in front of a camera: the time as a QR code and in figures, by the
// service's clock. What it shows is read back from the pixels that a viewer gets.
import { encode } from "uqr";

import { compareClocks } from "../player/link";

const quietZone = 4; // modules (ISO/IEC 18004, 9.1)
const checkEvery = 30_000;

function find<T extends HTMLElement>(id: string): T {
  return document.getElementById(id) as T;
}

const canvas = find<HTMLCanvasElement>("code");
const pen = canvas.getContext("2d");
const figures = find("figures");
const check = find("check");
let offset = 0;

/** Draws a number as a QR code, a pixel a module; the style sheet makes it large. */
function draw(value: number): void {
  const { data, size } = encode(String(value), { ecc: "M", border: quietZone });
  if (!pen) return;
  if (canvas.width !== size) canvas.width = canvas.height = size;
  pen.fillStyle = "#fff";
  pen.fillRect(0, 0, size, size);
  pen.fillStyle = "#000";
  data.forEach((row, y) => row.forEach((dark, x) => dark && pen.fillRect(x, y, 1, 1)));
}

function show(): void {
  const now = Math.round(Date.now() + offset);
  draw(now);
  figures.textContent = new Date(now).toISOString().slice(11, 23) + " UTC";
  requestAnimationFrame(show);
}

async function compare(): Promise<void> {
  const found = await compareClocks("clock/time");
  if (found === null) {
    check.textContent = "The service does not answer, so this is the time of this device alone.";
    check.className = "doubtful";
    return;
  }
  offset = found.offset;
  const off = Math.abs(found.offset).toFixed(0);
  const side = found.offset > 0 ? "behind" : "ahead of";
  check.textContent = `This device is ${off} ms ${side} the service, which is made up for; good to ${Math.max(1, found.within).toFixed(0)} ms.`;
  check.className = "";
}

void compare();
setInterval(() => void compare(), checkEvery);
requestAnimationFrame(show);
