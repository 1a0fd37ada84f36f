import { expect, it } from "vitest";

import { nameFrom } from "./names";

it("proposes a name from what tells a camera from others", () => {
  expect(nameFrom("rtsp://192.0.2.7:554/lower-station")).toBe("lower-station");
  expect(nameFrom("rtsp://192.0.2.7/live/Gate_North/main")).toBe("gate-north");
  expect(nameFrom("http://yard-cam.example/video.mjpeg?user=x")).toBe("yard-cam");
  expect(nameFrom("http://192.0.2.8/video")).toBe("");
  expect(nameFrom("http://localhost:8080/cgi-bin/snapshot.jpg")).toBe("");
  expect(nameFrom("rtsp://[2001:db8::7]/stream1")).toBe("stream1");
  expect(nameFrom("not an address")).toBe("");
  expect(nameFrom("rtsp://x/" + "a".repeat(100))).toHaveLength(63);
});
