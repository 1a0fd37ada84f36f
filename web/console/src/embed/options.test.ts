import { describe, expect, it } from "vitest";

import { emptyEmbed, optionsOf } from "./options";

describe("optionsOf", () => {
  it("leaves out what is left to the player", () => {
    expect(optionsOf(emptyEmbed)).toEqual({});
  });
  it("says what was chosen", () => {
    expect(optionsOf({ ...emptyEmbed, link: "town-hall", prefer: "within", within: "2.5", size: "640x360", start: "press", controls: false, audio: true })).toEqual({
      link: "town-hall",
      within: 2.5,
      width: 640,
      height: 360,
      start: "press",
      poster: "still",
      controls: "none",
      audio: true,
    });
    expect(optionsOf({ ...emptyEmbed, prefer: "delay" })).toEqual({ prefer: "delay" });
  });
});
