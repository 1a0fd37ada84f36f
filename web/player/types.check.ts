// Compiled and never run: what player.d.ts promises is what the player has.
import type { WebostrumPlayer } from "./player";
import type { WebostrumPlayerElement } from "./public/player/player";

export const promised = (player: WebostrumPlayer): Omit<WebostrumPlayerElement, "addEventListener"> => player;
