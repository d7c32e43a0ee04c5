import type { Response } from 'express';

/** Browsers that listen for what changed. Many announcements in a moment become one event. */
export class Live {
  private readonly clients = new Map<Response, () => Promise<boolean>>();
  private topics = new Set<string>();
  private timer: NodeJS.Timeout | null = null;
  private readonly heartbeat = setInterval(() => this.beat(), 20_000).unref();

  /** @param isStillIn asked at each beat: a stream ends with the session that opened it */
  add(res: Response, isStillIn: () => Promise<boolean> = () => Promise.resolve(true)): void {
    res.writeHead(200, {
      'content-type': 'text/event-stream',
      'cache-control': 'no-cache, no-transform',
      connection: 'keep-alive',
      'x-accel-buffering': 'no',
    });
    res.write('retry: 1000\n\n');
    this.clients.set(res, isStillIn);
    res.on('close', () => this.clients.delete(res));
  }

  private beat(): void {
    for (const [res, isStillIn] of this.clients)
      isStillIn().then(
        (isIn) => (isIn ? res.write(': still here\n\n') : res.end()),
        () => undefined, // the database does not answer: at the next beat
      );
  }

  announce(topics: readonly string[]): void {
    for (const topic of topics) this.topics.add(topic);
    this.timer ??= setTimeout(() => {
      const line = `data: ${JSON.stringify({ topics: [...this.topics] })}\n\n`;
      this.topics = new Set();
      this.timer = null;
      for (const res of this.clients.keys()) res.write(line);
    }, 120);
  }

  close(): void {
    clearInterval(this.heartbeat);
    if (this.timer) clearTimeout(this.timer);
    for (const res of this.clients.keys()) res.end();
  }
}
