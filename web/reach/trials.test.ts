import { describe, expect, it } from "vitest";

import { failedAfter, inner, onlyOver } from "./trials";

const answer = ["v=0", "a=candidate:1 1 udp 2130706431 192.168.1.20 7601 typ host", "a=candidate:2 1 udp 2130706431 198.51.100.7 7601 typ host", "a=candidate:3 1 tcp 1671430143 192.168.1.20 7601 typ host tcptype passive", "a=end-of-candidates", ""].join("\r\n");

describe("trials", () => {
  it("keep the candidates of one protocol", () => {
    const udp = onlyOver(answer, "udp");
    expect([udp.kept, udp.outside]).toEqual([2, 1]);
    expect(udp.sdp).not.toContain(" tcp ");
    expect(udp.sdp).toContain("a=end-of-candidates");
    const tcp = onlyOver(answer, "tcp");
    expect([tcp.kept, tcp.outside]).toEqual([1, 0]);
  });

  it("know addresses of the inside", () => {
    for (const a of ["10.0.0.1", "127.0.0.1", "192.168.1.1", "172.16.0.1", "100.64.3.2", "169.254.1.1", "::1", "fe80::1", "fd00::1"]) expect(inner(a), a).toBe(true);
    for (const a of ["198.51.100.7", "172.32.0.1", "100.128.0.1", "2001:db8::1"]) expect(inner(a), a).toBe(false);
  });

  it("tell a refusal from silence by its time", () => {
    expect(failedAfter(20, false)).toBe("refused");
    expect(failedAfter(20, true)).toBe("unclear");
    expect(failedAfter(8000, true)).toBe("silent");
    expect(failedAfter(4000, false)).toBe("silent");
  });
});
