import { useQueryClient } from "@tanstack/react-query";
import { useEffect, useState } from "react";

import { at } from "../api/base";
import type { Feed } from "../api/client";
import { feedsQuery } from "../api/queries";

const firstPause = 1000;
const longestPause = 15_000;

interface LiveFeeds {
  now: number;
  feeds: Feed[] | null;
}

interface ChangedFeeds extends LiveFeeds {
  gone: string[] | null;
}

/** The feeds with those that have changed in their places, by name. */
export function merged(all: Feed[], { feeds, gone }: Pick<ChangedFeeds, "feeds" | "gone">): Feed[] {
  const changed = new Map((feeds ?? []).map((f) => [f.name, f]));
  const kept = all.filter((f) => !gone?.includes(f.name)).map((f) => {
    const now = changed.get(f.name);
    changed.delete(f.name);
    return now ?? f;
  });
  return changed.size === 0 ? kept : [...kept, ...changed.values()].toSorted((a, b) => (a.name < b.name ? -1 : 1));
}

/**
 * Keeps the cache of feeds and events up to date from the service's stream.
 * Returns whether the stream is up, and the service's clock at its last word.
 */
export function useLive(enabled: boolean): { connected: boolean; now: number } {
  const queries = useQueryClient();
  const [connected, setConnected] = useState(false);
  const [now, setNow] = useState(() => Date.now());

  useEffect(() => {
    if (!enabled) return;
    let source: EventSource | undefined;
    let timer: ReturnType<typeof setTimeout> | undefined;
    let pause = firstPause;
    const open = () => {
      source = new EventSource(at("/api/v1/live"));
      source.addEventListener("feeds", (e) => {
        pause = firstPause;
        setConnected(true);
        const live = JSON.parse((e as MessageEvent<string>).data) as LiveFeeds;
        setNow(live.now);
        queries.setQueryData(feedsQuery.queryKey, live.feeds ?? []);
      });
      source.addEventListener("changed", (e) => {
        const live = JSON.parse((e as MessageEvent<string>).data) as ChangedFeeds;
        setNow(live.now);
        queries.setQueryData(feedsQuery.queryKey, (all) => merged(all ?? [], live));
      });
      source.addEventListener("event", () => void queries.invalidateQueries({ queryKey: ["events"] }));
      source.onerror = () => {
        source?.close();
        setConnected(false);
        timer = setTimeout(open, pause * (0.75 + Math.random() / 2));
        pause = Math.min(pause * 2, longestPause);
      };
    };
    // A page in the browser's store of past pages must not keep its connection:
    // there are six for one host.
    const close = () => {
      clearTimeout(timer);
      source?.close();
    };
    const reopen = (e: PageTransitionEvent) => {
      if (e.persisted) open();
    };
    addEventListener("pagehide", close);
    addEventListener("pageshow", reopen);
    open();
    return () => {
      removeEventListener("pagehide", close);
      removeEventListener("pageshow", reopen);
      close();
    };
  }, [enabled, queries]);

  return { connected, now };
}
