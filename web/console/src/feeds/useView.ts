import { useSearchParams } from "react-router";

import type { Choice } from "./choose";

export interface View {
  choice: Choice;
  grouped: boolean;
  tiles: boolean;
  page: number;
  set: (name: string, value: string) => void;
}

/** What the list shows. It stands in the address, so that whoever comes back from a feed finds the place again. */
export function useView(): View {
  const [params, setParams] = useSearchParams();
  const set = (name: string, value: string) =>
    setParams(
      (p) => {
        if (value) p.set(name, value);
        else p.delete(name);
        if (name !== "page") p.delete("page");
        return p;
      },
      { replace: true },
    );
  return {
    choice: { search: params.get("search") ?? "", states: (params.get("state") ?? "").split(",").filter(Boolean), tag: params.get("tag") ?? "", order: params.get("order") === "name" ? "name" : "broken" },
    grouped: params.has("grouped"),
    tiles: params.get("as") === "tiles",
    page: Math.max(1, Number(params.get("page")) || 1),
    set,
  };
}
