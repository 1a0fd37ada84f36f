import { describe, expect, it, vi } from "vitest";

vi.stubGlobal("document", { currentScript: null, querySelector: () => null });
vi.stubGlobal("location", { origin: "https://page.example" });
vi.stubGlobal("HTMLScriptElement", class {});
const { baseOf, scriptIn, scriptBase } = await import("./base");

describe("baseOf", () => {
  it("takes the script's path off", () => {
    expect(baseOf("https://cams.example:7600/player/player.js")).toBe("https://cams.example:7600");
    expect(baseOf("https://example.org/cameras/player/player.js?v=2")).toBe("https://example.org/cameras");
    expect(baseOf("https://page.example/assets/bundle.js")).toBeNull();
  });
});

describe("scriptIn", () => {
  it("reads what each engine writes", () => {
    const at = "http://cams.example:7600/player/player.js";
    expect(scriptIn(`Error: where\n    at find (${at}:3:12)\n    at ${at}:9:1`)).toBe(at); // Chromium
    expect(scriptIn(`find@${at}:3:12\n@${at}:9:1`)).toBe(at); // Firefox
    expect(scriptIn(`find@${at}:3:12\nglobal code@${at}:9:1`)).toBe(at); // WebKit
    expect(scriptIn("at https://page.example/bundle.js:1:1")).toBeNull();
  });
});

describe("scriptBase", () => {
  it("is the page's own where the script was bundled into it", () => {
    expect(scriptBase).toBe("https://page.example");
  });
});
