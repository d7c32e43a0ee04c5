import { effect, inject, Injectable } from '@angular/core';
import type { LiveEvent } from '@nudrik/contract';
import { filter, map, type Observable, Subject, throttleTime } from 'rxjs';
import { SessionStore } from '../access/session.store.ts';

/** Server-sent events: what changed, by topic. The browser reconnects by itself. */
@Injectable({ providedIn: 'root' })
export class LiveService {
  private readonly events = new Subject<LiveEvent>();
  private source: EventSource | null = null;
  private readonly session = inject(SessionStore);

  constructor() {
    effect(() => {
      const isIn = this.session.account() !== null;
      if (isIn && !this.source) {
        this.source = new EventSource('/api/live');
        this.source.onmessage = (message: MessageEvent<string>) => this.events.next(JSON.parse(message.data) as LiveEvent);
      } else if (!isIn && this.source) {
        this.source.close();
        this.source = null;
      }
    });
  }

  /** Emits when one of the topics was announced, four times a second at the most. */
  on(topics: readonly string[]): Observable<void> {
    return this.events.pipe(
      filter((event) => event.topics.some((topic) => topics.includes(topic))),
      throttleTime(250, undefined, { leading: true, trailing: true }),
      map(() => undefined),
    );
  }
}
