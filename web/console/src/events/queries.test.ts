import { describe, expect, it } from "vitest";

import { queryOf } from "./queries";

describe("the filters of events", () => {
  it("leave out what is empty", () => {
    expect(queryOf(new URLSearchParams("search=&feed=gate&since=nonsense"), true)).toEqual({ feed: "gate", fold: true, limit: 300 });
  });

  it("send times as the API takes them", () => {
    expect(queryOf(new URLSearchParams("since=2026-11-26T18:00Z&severity=warning"), false)).toMatchObject({ since: "2026-11-26T18:00:00.000Z", severity: "warning", fold: false });
  });
});
