// What a device tries, and how it judges what comes of it.

export interface Plan {
  service: string;
  address: string;
  feed?: string;
  http?: string;
  https?: string;
  media?: string;
  gives: string[];
  trials: string[];
}

export interface Result {
  trial: string;
  outcome: string;
  millis: number;
  detail?: string;
}

type Verdict = Pick<Result, "outcome" | "detail">;

export const atOnce = 1500; // ms; what fails sooner was refused
const within = 8000;
const goesOn = 3; // pieces of an answer that goes on
const connectWithin = 12_000;

const works: Verdict = { outcome: "works" };

/** What a failed request says by the time it took. */
export function failedAfter(millis: number, secure: boolean): string {
  if (millis > atOnce) return "silent";
  return secure ? "unclear" : "refused";
}

/** Keeps of an answer's candidates those over one protocol, and counts them and the ones that lead outside. */
export function onlyOver(sdp: string, protocol: "udp" | "tcp"): { sdp: string; kept: number; outside: number } {
  let kept = 0;
  let outside = 0;
  const lines = sdp.split("\r\n").filter((line) => {
    const m = /^a=candidate:\S+ \d+ (\w+) \d+ (\S+) /.exec(line);
    if (!m) return true;
    if (m[1]?.toLowerCase() !== protocol) return false;
    kept++;
    if (!inner(m[2] ?? "")) outside++;
    return true;
  });
  return { sdp: lines.join("\r\n"), kept, outside };
}

/** Whether an address leads nowhere from the outside. */
export function inner(address: string): boolean {
  const [a, b] = address.split(".").map(Number);
  if (address.includes(":")) return /^(::1?$|fe[89ab]|f[cd])/i.test(address);
  return a === 10 || a === 127 || a === 0 || (a === 192 && b === 168) || (a === 172 && b !== undefined && b >= 16 && b < 32) || (a === 169 && b === 254) || (a === 100 && b !== undefined && b >= 64 && b < 128);
}

async function get(url: string, init: RequestInit = {}): Promise<Response> {
  return await fetch(url, { cache: "no-store", credentials: "omit", signal: AbortSignal.timeout(within), ...init });
}

/** Whether the service itself answers at an address. */
async function answers(base: string, code: string, plan: Plan): Promise<Verdict> {
  const secure = base.startsWith("https:");
  if (!secure && location.protocol === "https:") return { outcome: "mixed" };
  const begun = performance.now();
  try {
    const answer = await get(`${base}/reach/${code}/plan`);
    const said = (await answer.json()) as Partial<Plan>;
    return said.service === plan.service ? works : { outcome: "other" };
  } catch {
    const failed = failedAfter(performance.now() - begun, secure);
    // Whatever answers there lets no other page read it: that it answers is seen so.
    const somebody = await get(base, { mode: "no-cors" }).then(
      () => true,
      () => false,
    );
    return { outcome: somebody ? "other" : failed };
  }
}

async function hls(media: string): Promise<Verdict> {
  let list = new URL(`${media}/hls/index.m3u8`, location.href).href;
  for (let depth = 0; depth < 2; depth++) {
    const answer = await get(list);
    if (!answer.ok) return { outcome: "failed", detail: `the list is answered with ${answer.status}` };
    const lines = (await answer.text()).split("\n");
    const entry = lines.findLast((line) => line !== "" && !line.startsWith("#"));
    if (!entry) return { outcome: "failed", detail: "the list is empty" };
    list = new URL(entry, list).href;
    if (!new URL(list).pathname.endsWith(".m3u8")) break;
  }
  const piece = await get(list);
  const size = (await piece.arrayBuffer()).byteLength;
  return piece.ok && size > 0 ? works : { outcome: "failed", detail: `a segment is answered with ${piece.status}` };
}

/** Whether an answer that goes on comes piece by piece. */
async function flows(url: string): Promise<Verdict> {
  const stop = new AbortController();
  const timer = setTimeout(() => stop.abort(), within);
  try {
    const answer = await fetch(url, { cache: "no-store", credentials: "omit", signal: stop.signal });
    if (!answer.ok || !answer.body) return { outcome: "failed", detail: `it is answered with ${answer.status}` };
    const reader = answer.body.getReader();
    for (let pieces = 0; pieces < goesOn; pieces++) {
      const { done } = await reader.read();
      if (done) return { outcome: "failed", detail: "the answer ended" };
    }
    return works;
  } catch (e) {
    if (stop.signal.aborted) return { outcome: "held-back" };
    throw e;
  } finally {
    clearTimeout(timer);
    stop.abort();
  }
}

async function webRTC(media: string, protocol: "udp" | "tcp"): Promise<Verdict> {
  if (!("RTCPeerConnection" in globalThis)) return { outcome: "failed", detail: "this browser has no WebRTC" };
  const pc = new RTCPeerConnection();
  let session: string | null = null;
  try {
    pc.addTransceiver("video", { direction: "recvonly" });
    await pc.setLocalDescription(await pc.createOffer());
    const answer = await get(`${media}/whep`, { method: "POST", headers: { "Content-Type": "application/sdp" }, body: pc.localDescription?.sdp });
    if (!answer.ok) return { outcome: "failed", detail: `the offer is answered with ${answer.status}` };
    session = new URL(answer.headers.get("Location") ?? "", answer.url).href;
    const offered = onlyOver(await answer.text(), protocol);
    if (offered.kept === 0) return { outcome: "off" };
    await pc.setRemoteDescription({ type: "answer", sdp: offered.sdp });
    if (await connected(pc)) return works;
    return { outcome: offered.outside === 0 && !inner(location.hostname) ? "inside-only" : "silent" };
  } finally {
    pc.close();
    if (session) void fetch(session, { method: "DELETE", keepalive: true }).catch(() => undefined);
  }
}

function connected(pc: RTCPeerConnection): Promise<boolean> {
  return new Promise((resolve) => {
    const timer = setTimeout(() => resolve(false), connectWithin);
    const look = (): void => {
      if (pc.connectionState !== "connected" && pc.connectionState !== "failed") return;
      clearTimeout(timer);
      resolve(pc.connectionState === "connected");
    };
    pc.onconnectionstatechange = look;
    look();
  });
}

const deliveries: Record<string, string> = { hls: "hls", fragments: "fragments", "motion-jpeg": "motion-jpeg", "webrtc-udp": "webrtc", "webrtc-tcp": "webrtc" };

async function verdict(trial: string, code: string, plan: Plan): Promise<Verdict> {
  if (trial === "http") return plan.http ? await answers(plan.http, code, plan) : { outcome: "off" };
  if (trial === "https") return plan.https ? await answers(plan.https, code, plan) : { outcome: "off" };
  if (!plan.media) return { outcome: "not-tried" };
  if (!plan.gives.includes(deliveries[trial] ?? "")) return { outcome: "off" };
  switch (trial) {
    case "hls":
      return await hls(plan.media);
    case "fragments":
      return await flows(`${plan.media}/live.mp4`);
    case "motion-jpeg":
      return await flows(`${plan.media}/mjpeg`);
    case "webrtc-udp":
      return await webRTC(plan.media, "udp");
    case "webrtc-tcp":
      return await webRTC(plan.media, "tcp");
    default:
      return { outcome: "not-tried" };
  }
}

/** Makes one trial; it never throws. */
export async function attempt(trial: string, code: string, plan: Plan): Promise<Result> {
  const begun = performance.now();
  const done = (v: Verdict): Result => ({ trial, millis: Math.round(performance.now() - begun), ...v });
  try {
    return done(await verdict(trial, code, plan));
  } catch (e) {
    const late = e instanceof DOMException && e.name === "TimeoutError";
    return done(late ? { outcome: "silent" } : { outcome: "failed", detail: e instanceof Error ? e.message : String(e) });
  }
}
