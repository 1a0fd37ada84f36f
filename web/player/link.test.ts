import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";

import { StateLink, type FeedState } from "./link";

/** An event stream that the test holds in its hand. */
class FakeSource {
  static all: FakeSource[] = [];
  onerror: (() => void) | null = null;
  closed = false;
  private listener: ((e: { data: string }) => void) | undefined;

  constructor(readonly url: string) {
    FakeSource.all.push(this);
  }
  addEventListener(_: string, listener: (e: { data: string }) => void): void {
    this.listener = listener;
  }
  close(): void {
    this.closed = true;
  }
  say(state: Partial<FeedState>): void {
    this.listener?.({ data: JSON.stringify(state) });
  }
}

const newest = () => FakeSource.all[FakeSource.all.length - 1]!;

describe("the link to a feed's state", () => {
  const heard: FeedState[] = [];
  let silences = 0;
  const refusals: string[] = [];
  let link: StateLink;

  beforeEach(() => {
    vi.useFakeTimers();
    vi.stubGlobal("EventSource", FakeSource);
    vi.stubGlobal("fetch", async () => ({ json: async () => ({ now: Date.now() + 5000 }) }));
    FakeSource.all = [];
    heard.length = 0;
    silences = 0;
    link = new StateLink("/media/gate", { onState: (s) => heard.push(s), onSilence: () => silences++, onRefused: (reason) => refusals.push(reason) });
  });
  afterEach(() => {
    link.close();
    vi.useRealTimers();
    vi.unstubAllGlobals();
  });

  it("passes on what the service says", () => {
    expect(newest().url).toBe("/media/gate/state");
    newest().say({ state: "live" });
    expect(heard.map((s) => s.state)).toEqual(["live"]);
  });

  it("comes back by itself, with pauses that grow, and says so", async () => {
    const pauses: number[] = [];
    for (let i = 0; i < 7; i++) {
      const at = Date.now();
      newest().onerror?.();
      await vi.advanceTimersToNextTimerAsync();
      pauses.push(Date.now() - at);
    }
    expect(silences).toBe(7);
    expect(pauses[0]).toBeLessThanOrEqual(1250);
    expect(Math.max(...pauses)).toBeLessThanOrEqual(18_750);
    expect(pauses[6]).toBeGreaterThan(pauses[0]!);
    newest().say({ state: "live" });
    const at = Date.now();
    newest().onerror?.();
    vi.advanceTimersToNextTimer();
    expect(Date.now() - at).toBeLessThanOrEqual(1250);
  });

  it("gives its connection up while it is suspended", () => {
    link.suspend();
    expect(newest().closed).toBe(true);
    newest().onerror?.();
    vi.advanceTimersByTime(60_000);
    expect(FakeSource.all).toHaveLength(1);
    link.resume();
    link.resume();
    expect(FakeSource.all).toHaveLength(2);
    link.close();
    link.resume();
    expect(FakeSource.all).toHaveLength(2);
  });

  it("knows the service's clock", async () => {
    await vi.waitFor(() => expect(link.now() - Date.now()).toBe(5000));
  });

  it("says why nobody is let in", async () => {
    vi.stubGlobal("fetch", async () => ({ ok: false, status: 410, json: async () => ({ detail: "This link has ended.", remedy: "Ask for a new one." }) }));
    newest().onerror?.();
    await vi.advanceTimersToNextTimerAsync();
    expect(refusals).toEqual(["This link has ended."]);
    expect(silences).toBe(0);
  });
});
