/** One timed run. @returns seconds and what the work gave */
export function timed<T>(work: () => T): { seconds: number; value: T } {
  const began = performance.now();
  const value = work();
  return { seconds: (performance.now() - began) / 1000, value };
}

export async function timedAsync<T>(work: () => Promise<T>): Promise<{ seconds: number; value: T }> {
  const began = performance.now();
  const value = await work();
  return { seconds: (performance.now() - began) / 1000, value };
}

export function report(what: string, figure: string, goal: string): void {
  process.stdout.write(`${what.padEnd(58)} ${figure.padEnd(44)} ${goal}\n`);
}
