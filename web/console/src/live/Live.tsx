import { createContext, useContext, type ReactNode } from "react";

import { useLive } from "./useLive";

interface LiveState {
  connected: boolean;
  now: number;
}

const LiveContext = createContext<LiveState>({ connected: false, now: 0 });

export function Live({ children }: { children: ReactNode }) {
  return <LiveContext value={useLive(true)}>{children}</LiveContext>;
}

export function useLiveState(): LiveState {
  return useContext(LiveContext);
}
