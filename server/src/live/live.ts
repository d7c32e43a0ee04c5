import type { Response } from 'express';

/** Browsers that listen for what changed. Many announcements in a moment become one event. */
export class Live {
  private readonly clients = new Set<Response>();
  private topics = new Set<string>();
  private timer: NodeJS.Timeout | null = null;
  private readonly heartbeat = setInterval(() => this.clients.forEach((res) => res.write(': still here\n\n')), 20_000).unref();

  add(res: Response): void {
    res.writeHead(200, {
      'content-type': 'text/event-stream',
      'cache-control': 'no-cache, no-transform',
      connection: 'keep-alive',
      'x-accel-buffering': 'no',
    });
    res.write('retry: 1000\n\n');
    this.clients.add(res);
    res.on('close', () => this.clients.delete(res));
  }

  announce(topics: readonly string[]): void {
    for (const topic of topics) this.topics.add(topic);
    this.timer ??= setTimeout(() => {
      const line = `data: ${JSON.stringify({ topics: [...this.topics] })}\n\n`;
      this.topics = new Set();
      this.timer = null;
      for (const res of this.clients) res.write(line);
    }, 120);
  }

  close(): void {
    clearInterval(this.heartbeat);
    if (this.timer) clearTimeout(this.timer);
    for (const res of this.clients) res.end();
  }
}
