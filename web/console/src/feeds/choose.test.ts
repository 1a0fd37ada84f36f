import { describe, expect, it } from "vitest";

import type { Feed } from "../api/client";
import { byTag, choose, groupOf, tagsOf } from "./choose";

const feed = (name: string, state: string, tags: string[] = [], url = ""): Feed => ({ name, title: name, state, tags, camera: { url } }) as unknown as Feed;
const all = [feed("a", "live", ["north"]), feed("b", "retrying", ["south", "yard"]), feed("c", "refused"), feed("d", "off", ["north"], "rtsp://192.0.2.9/x")];
const names = (list: Feed[]): string[] => list.map((f) => f.name);
const plain = { search: "", states: [], tag: "", order: "broken" as const };

describe("the list of feeds", () => {
  it("has what is broken first", () => {
    expect(names(choose(all, plain))).toEqual(["c", "b", "a", "d"]);
    expect(names(choose(all, { ...plain, order: "name" }))).toEqual(["a", "b", "c", "d"]);
  });

  it("is searched and filtered", () => {
    expect(names(choose(all, { ...plain, search: "192.0.2.9" }))).toEqual(["d"]);
    expect(names(choose(all, { ...plain, search: " YARD" }))).toEqual(["b"]);
    expect(names(choose(all, { ...plain, states: ["broken"] }))).toEqual(["c", "b"]);
    expect(names(choose(all, { ...plain, tag: "north", states: ["live", "off"] }))).toEqual(["a", "d"]);
  });

  it("is grouped by tags", () => {
    expect(tagsOf(all)).toEqual(["north", "south", "yard"]);
    expect(byTag(all).map(([tag, list]) => [tag, names(list)])).toEqual([
      ["north", ["a", "d"]],
      ["south", ["b"]],
      ["", ["c"]],
    ]);
    expect(groupOf("stalled")).toBe("broken");
  });
});
