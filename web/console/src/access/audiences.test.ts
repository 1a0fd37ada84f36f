import { describe, expect, it } from "vitest";

import { labelOf, listOf } from "./audiences";
import { localTime } from "./times";

describe("listOf", () => {
  it("takes commas, spaces and lines", () => {
    expect(listOf(" example.org, *.example.org\n\nhttps://a.example:8443 ")).toEqual(["example.org", "*.example.org", "https://a.example:8443"]);
    expect(listOf(" \n")).toEqual([]);
  });
});

describe("labelOf", () => {
  it("names what there is", () => {
    expect(labelOf("links")).toBe("People with a link");
  });
});

describe("localTime", () => {
  it("comes back as the same minute", () => {
    const at = new Date(2027, 4, 1, 9, 5);
    expect(new Date(localTime(at)).getTime()).toBe(at.getTime());
  });
});
