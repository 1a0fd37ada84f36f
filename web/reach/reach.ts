// The page that tries what gets through to a device, and reports it.
import { attempt, type Plan, type Result } from "./trials";

interface Finding {
  trial: string;
  name: string;
  outcome: string;
  sentence: string;
  remedy?: string;
}

const room = location.pathname.replace(/\/+$/, "");
const code = room.slice(room.lastIndexOf("/") + 1);
const device = crypto.getRandomValues(new Uint32Array(4)).join("").slice(0, 24);

function place<T extends HTMLElement>(id: string): T {
  const found = document.getElementById(id);
  if (!found) throw new Error(`the page has no ${id}`);
  return found as T;
}

const names: Record<string, string> = {
  http: "HTTP", https: "HTTPS", hls: "HLS", fragments: "Live fragments", "motion-jpeg": "Motion JPEG", "webrtc-udp": "WebRTC over UDP", "webrtc-tcp": "WebRTC over TCP",
};

const signs = { good: "✓", bad: "✕", doubt: "–", trying: "…" };
type State = keyof typeof signs;

function stateOf(outcome: string): State {
  if (outcome === "works") return "good";
  return ["off", "not-tried", "mixed"].includes(outcome) ? "doubt" : "bad";
}

function cell(parent: HTMLElement, kind: string, text: string): void {
  const span = document.createElement("span");
  span.className = kind;
  span.textContent = text;
  parent.append(span);
}

function show(trial: string, state: State, millis?: number, finding?: Finding): void {
  const id = `trial-${trial}`;
  const row = document.getElementById(id) ?? document.createElement("li");
  row.id = id;
  row.dataset.state = state;
  row.replaceChildren();
  cell(row, "sign", signs[state]);
  cell(row, "name", names[trial] ?? trial);
  cell(row, "time", millis === undefined ? "" : `${millis} ms`);
  if (finding && (state !== "good" || finding.remedy)) cell(row, "said", finding.sentence);
  if (finding?.remedy) cell(row, "remedy", finding.remedy);
  if (!row.parentNode) place("trials").append(row);
}

/** Reports a result and returns what the service says of it; null when it does not answer. */
async function report(result: Result): Promise<Finding | null> {
  try {
    const answer = await fetch(`${room}/report`, { method: "POST", body: JSON.stringify({ device, results: [result] }), signal: AbortSignal.timeout(5000) });
    return answer.ok ? (((await answer.json()) as Finding[])[0] ?? null) : null;
  } catch {
    return null;
  }
}

function verdict(results: Result[]): string {
  const bad = results.filter((r) => stateOf(r.outcome) === "bad").length;
  const good = results.filter((r) => r.outcome === "works").length;
  if (bad === 0) return `All ${good} ways that were tried get through.`;
  if (good === 0) return "Nothing gets through but this page.";
  return `${good} ${good === 1 ? "way gets" : "ways get"} through, ${bad} ${bad === 1 ? "does" : "do"} not.`;
}

async function run(): Promise<void> {
  const again = place<HTMLButtonElement>("again");
  again.hidden = true;
  place("verdict").textContent = "Trying what gets through to this device …";
  place("trials").replaceChildren();
  const results: Result[] = [];
  try {
    const plan = (await (await fetch(`${room}/plan`, { cache: "no-store" })).json()) as Plan;
    place("device").textContent = `This device is ${plan.address} to the service${plan.feed ? `; it plays ${plan.feed}` : ""}.`;
    for (const trial of plan.trials) {
      show(trial, "trying");
      const result = await attempt(trial, code, plan);
      results.push(result);
      show(trial, stateOf(result.outcome), result.millis, (await report(result)) ?? undefined);
    }
    place("verdict").textContent = verdict(results);
  } catch {
    place("verdict").textContent = "The service does not answer any more.";
  }
  document.body.dataset.done = "yes";
  again.hidden = false;
}

place("again").addEventListener("click", () => void run());
void run();
