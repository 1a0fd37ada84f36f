import { describe, expect, it } from "vitest";

import { changed } from "./CameraDialog";

const now = { codec: "H264", width: 1280, height: 720, frameRate: 25, bitRate: 2_000_000, keyframeSeconds: 2 };
const same = { codec: "H264", size: "1280x720", rate: "25", kilobits: "2000", keyframes: "2" };

describe("what is written to the camera", () => {
  it("is what differs", () => {
    expect(changed(same, now)).toEqual({});
    expect(changed({ ...same, size: "640x360", kilobits: "800" }, now)).toEqual({ size: "640x360", bitRate: 800_000 });
  });

  it("keeps the seconds to a keyframe at another frame rate", () => {
    expect(changed({ ...same, rate: "10" }, now)).toEqual({ frameRate: 10, keyframeSeconds: 2 });
  });
});
