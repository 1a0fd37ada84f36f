// Where the service is: where this script came from.

const scriptPath = "/player/player.js";

/** The address before a script's path, or null for another script's. */
export function baseOf(script: string): string | null {
  const at = script.lastIndexOf(scriptPath);
  return at < 0 ? null : script.slice(0, at);
}

/** Finds the address of this script in what an error says of where it was made. */
export function scriptIn(stack: string): string | null {
  return /(https?:\/\/[^\s)]+?\/player\/player\.js)/.exec(stack)?.[1] ?? null;
}

/**
 * A classic script is told its own address; a module is not, unless it is written so that
 * no classic script could be made of it.
 */
function find(): string {
  const current = document.currentScript;
  const own = current instanceof HTMLScriptElement ? current.src : scriptIn(new Error("where").stack ?? "");
  // In another script, such as the console, the page says where the service is, if it does.
  return (own === null ? null : baseOf(own)) ?? document.querySelector("base")?.href.replace(/\/+$/, "") ?? location.origin;
}

/** The service's address, without a slash at its end. */
export const scriptBase = find();
