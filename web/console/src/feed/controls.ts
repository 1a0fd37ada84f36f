import type { components } from "../api/schema.gen";

/** What the camera behind a feed is set to, by ONVIF. */
export type Controls = components["schemas"]["CameraControls"];

export const controlsKey = (feed: string) => ["camera", feed];
