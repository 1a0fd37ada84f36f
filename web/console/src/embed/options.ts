import type { EmbedOptions } from "../api/queries";

export interface EmbedValues {
  link: string;
  prefer: "" | "delay" | "reach" | "simple" | "within";
  within: string;
  rendition: string;
  size: string; // "", or WIDTHxHEIGHT
  start: "" | "visible" | "press";
  controls: boolean;
  audio: boolean;
}

export const emptyEmbed: EmbedValues = { link: "", prefer: "", within: "3", rendition: "", size: "", start: "", controls: true, audio: false };

/** What the API takes of them; what is left to the player is left out. */
export function optionsOf(v: EmbedValues): EmbedOptions {
  const [width, height] = v.size.split("x").map(Number);
  return {
    ...(v.link && { link: v.link }),
    ...(v.prefer === "within" ? { within: Number(v.within) || 0 } : v.prefer && { prefer: v.prefer }),
    ...(v.rendition && { rendition: v.rendition }),
    ...(width && { width }),
    ...(height && { height }),
    ...(v.start && { start: v.start }),
    ...(v.start === "press" && { poster: "still" as const }),
    ...(!v.controls && { controls: "none" as const }),
    ...(v.audio && { audio: true }),
  };
}
