// What a viewer can choose by each method: renditions, and sizes of Motion JPEG, which is
// made in any.
import type { FeedState, Rendition } from "./link";
import type { MethodKey } from "./order";

/** What a viewer may choose. */
export interface Choice {
  name: string;
  label: string;
}

const sizeMark = "size ";

/** Whether a choice is a size, and no rendition. */
export const isSize = (name: string): boolean => name.startsWith(sizeMark);

const labelOf = (name: string, { width, height }: { width: number; height: number }) => (width > 0 ? `${name} (${width}×${height})` : name);

/** What the method can play; one alone is no choice. */
export function choicesOf(key: MethodKey, { renditions, sizes }: Pick<FeedState, "renditions" | "sizes">): Choice[] {
  const fit = renditions.filter((r: Rendition) => (r.codec === "JPEG") === (key === "pictures"));
  const list = fit.map((r) => ({ name: r.name, label: labelOf(r.name, r) }));
  if (key === "pictures") list.push(...(sizes ?? []).map((s) => ({ name: sizeMark + s.size, label: labelOf(s.size, s) })));
  return list;
}

/** The query that asks a method's address for what was chosen. */
export function queryOf(key: MethodKey, chosen: string | null): string {
  if (chosen === null) return "";
  if (!isSize(chosen)) return `?rendition=${encodeURIComponent(chosen)}`;
  return key === "pictures" ? `?size=${encodeURIComponent(chosen.slice(sizeMark.length))}` : "";
}
