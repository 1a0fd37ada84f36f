import { expect, test } from "vitest";

import { Reporter, type PlayReport } from "./report";

function reporter() {
  const sent: PlayReport[] = [];
  return { sent, r: new Reporter((p) => sent.push(p), () => true) };
}

test("what begins is told at once, and what was counted every half minute", () => {
  const { sent, r } = reporter();
  r.look(0, "hls", false, null);
  expect(sent).toHaveLength(0);
  r.look(500, "hls", true, 2000);
  expect(sent).toEqual([{ delivery: "hls", began: true, failed: "", seconds: 0, stalls: 0, stalledSeconds: 0, h265: true }]);
  for (let t = 1000; t <= 30_500; t += 500) r.look(t, "hls", t < 5000 || t > 6000, 2000);
  expect(sent).toHaveLength(2);
  expect(sent[1]).toEqual({ delivery: "hls", began: false, failed: "", seconds: 30, stalls: 1, stalledSeconds: 1.5, delaySeconds: 2 });
});

test("what never played has failed; what did is told to its end", () => {
  const { sent, r } = reporter();
  r.failed("webrtc", "no answer");
  expect(sent).toEqual([{ delivery: "webrtc", began: false, failed: "no answer", seconds: 0, stalls: 0, stalledSeconds: 0 }]);
  r.look(0, "fragments", true, null);
  r.look(2000, "fragments", true, null);
  r.look(4000, "fragments", true, null);
  r.failed("fragments", "the answer ended");
  expect(sent.slice(1)).toMatchObject([{ delivery: "fragments", began: true }, { delivery: "fragments", began: false, failed: "", seconds: 4 }]);
});

test("a camera that was away is no time that was watched", () => {
  const { sent, r } = reporter();
  r.look(0, "hls", true, null);
  r.look(3_600_000, "hls", true, null);
  r.over();
  expect(sent.at(-1)?.seconds).toBe(3);
});

test("another method is counted by itself", () => {
  const { sent, r } = reporter();
  r.look(0, "webrtc", true, 50);
  r.look(3000, "webrtc", true, 50);
  r.look(3500, "hls", true, 900);
  r.over();
  expect(sent.map((s) => [s.delivery, s.began, s.seconds])).toEqual([
    ["webrtc", true, 0],
    ["webrtc", false, 3],
    ["hls", true, 0],
  ]);
});
