import { describe, expect, it } from "vitest";

import { ahead, dragged, pointed, proper, rotation, zoomed } from "./direction";

describe("where a viewer looks", () => {
  it("goes round and round, and not over the top", () => {
    expect(proper({ pan: 190, tilt: 100, fov: 300 })).toEqual({ pan: -170, tilt: 85, fov: 120 });
    expect(proper({ pan: -541, tilt: -100, fov: 1 })).toEqual({ pan: 179, tilt: -85, fov: 25 });
  });
  it("follows the hand: what is dragged to the left lets one see to the right", () => {
    const d = dragged(ahead, -320, 0, 640);
    expect(d.pan).toBeCloseTo(45);
    expect(dragged(ahead, 0, 64, 640).tilt).toBeCloseTo(9);
  });
  it("comes closer", () => {
    expect(zoomed(ahead, 0.5).fov).toBe(45);
  });
  it("is a rotation: ahead turned to the right is to the right", () => {
    const m = rotation({ pan: 90, tilt: 0, fov: 90 });
    const z = m.slice(6, 9);
    expect(z[0]).toBeCloseTo(1);
    expect(z[2]).toBeCloseTo(0);
    const up = rotation({ pan: 0, tilt: 45, fov: 90 }).slice(6, 9);
    expect(up[1]).toBeCloseTo(Math.SQRT1_2);
  });
  it("follows a phone that is held upright, and turned", () => {
    const north = pointed(0, 90, 0, 0);
    expect(north.pan).toBeCloseTo(0);
    expect(north.tilt).toBeCloseTo(0);
    expect(pointed(270, 90, 0, 0).pan).toBeCloseTo(90);
    expect(pointed(0, 120, 0, 0).tilt).toBeCloseTo(30);
  });
});
