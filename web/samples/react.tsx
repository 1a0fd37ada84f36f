// A page of React with the player in it. The page loads player.js by a script element.
import { useRef, useState, type DetailedHTMLProps, type HTMLAttributes } from "react";
import { createRoot } from "react-dom/client";

import type { MethodChange, StateChange, WebostrumPlayerElement } from "../player/public/player/player";

interface PlayerAttributes extends DetailedHTMLProps<HTMLAttributes<WebostrumPlayerElement>, WebostrumPlayerElement> {
  feed: string;
  prefer?: "delay" | "reach" | "simple";
  onstatechange?: (event: CustomEvent<StateChange>) => void;
  onmethodchange?: (event: CustomEvent<MethodChange>) => void;
}

declare module "react" {
  // oxlint-disable-next-line no-namespace -- React's types are extended so
  namespace JSX {
    interface IntrinsicElements {
      "webostrum-player": PlayerAttributes;
    }
  }
}

function Camera({ feed }: { feed: string }) {
  const player = useRef<WebostrumPlayerElement>(null);
  const [state, setState] = useState("idle");
  const [method, setMethod] = useState("");
  return (
    <figure>
      <webostrum-player
        ref={player}
        feed={feed}
        style={{ width: 640, height: 360 }}
        onstatechange={(e) => setState(e.detail.state)}
        onmethodchange={(e) => setMethod(e.detail.method)}
      />
      <figcaption>
        {state} {method} <button onClick={() => (player.current?.paused ? void player.current.play() : player.current?.pause())}>Pause</button>
      </figcaption>
    </figure>
  );
}

const root = document.getElementById("app");
if (root) createRoot(root).render(<Camera feed={root.dataset.feed ?? ""} />);
