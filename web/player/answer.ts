/** What the service says of a request that it refused. */
export async function reason(answer: Response, what: string): Promise<string> {
  try {
    const { detail } = (await answer.json()) as { detail?: string };
    if (detail) return detail;
  } catch {
    // not ours
  }
  return `${what} was answered ${answer.status}`;
}
