// The wall: many feeds on one screen. Its grid is as large as the window allows; a press
// makes one fill the window, and the others wait meanwhile.
import { gridOf } from "./grid";

const wall = document.querySelector<HTMLElement>("main.wall");

function arrange(): void {
  if (!wall) return;
  const columns = gridOf(wall.childElementCount, innerWidth, innerHeight);
  wall.style.setProperty("--columns", String(columns));
}

function enlarge(tile: Element | null): void {
  if (!wall) return;
  const before = wall.querySelector(".large");
  before?.classList.remove("large");
  const next = tile === before ? null : tile;
  next?.classList.add("large");
  wall.classList.toggle("one", next !== null); // the others are hidden, so that they pause
  for (const t of wall.children) t.querySelector(".enlarge")?.setAttribute("aria-pressed", String(t === next));
}

wall?.addEventListener("click", (e) => {
  const pressed = e.target instanceof Element ? e.target.closest(".enlarge") : null;
  if (pressed) enlarge(pressed.closest(".tile"));
});
wall?.addEventListener("dblclick", (e) => {
  if (e.target instanceof Element) enlarge(e.target.closest(".tile"));
});
addEventListener("keydown", (e) => {
  if (e.key === "Escape") enlarge(wall?.querySelector(".large") ?? null);
});
addEventListener("resize", arrange);
arrange();
