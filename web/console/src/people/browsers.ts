/** What a browser calls itself, in few words. */
export function browserOf(agent: string): string {
  if (!agent.startsWith("Mozilla/")) return agent || "unknown";
  const system = /Android|iPhone|iPad|Windows|Macintosh|Linux/.exec(agent)?.[0]?.replace("Macintosh", "macOS");
  // Those that come later call themselves by the names of those before them, too.
  const name = [/Edg\//, /Firefox\//, /Chrome\//, /Safari\//].find((r) => r.test(agent))?.source.replace(/\\?\//g, "").replace("Edg", "Edge");
  return [name ?? "Browser", system].filter(Boolean).join(" on ");
}
