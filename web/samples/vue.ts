// A page of Vue with the player in it. The page loads player.js by a script element.
import { createApp, defineComponent, h, ref } from "vue";

import type { MethodChange, StateChange, WebostrumPlayerElement } from "../player/public/player/player";

const Camera = defineComponent({
  props: { feed: { type: String, required: true } },
  setup(props) {
    const player = ref<WebostrumPlayerElement>();
    const state = ref("idle");
    const method = ref("");
    const toggle = () => (player.value?.paused ? void player.value.play() : player.value?.pause());
    return () =>
      h("figure", [
        h("webostrum-player", {
          ref: player,
          feed: props.feed,
          style: "width: 640px; height: 360px",
          onStatechange: (e: CustomEvent<StateChange>) => (state.value = e.detail.state),
          onMethodchange: (e: CustomEvent<MethodChange>) => (method.value = e.detail.method),
        }),
        h("figcaption", [`${state.value} ${method.value} `, h("button", { onClick: toggle }, "Pause")]),
      ]);
  },
});

const root = document.getElementById("app");
if (root) createApp(Camera, { feed: root.dataset.feed ?? "" }).mount(root);
