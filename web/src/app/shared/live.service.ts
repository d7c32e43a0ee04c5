import { effect, inject, Injectable } from '@angular/core';
import type { LiveEvent } from '@nudrik/contract';
import { filter, fromEvent, map, type Observable, of, Subject, switchMap, take, throttleTime } from 'rxjs';
import { SessionStore } from '../access/session.store.ts';

/** Server-sent events: what changed, by topic. The browser reconnects by itself. */
@Injectable({ providedIn: 'root' })
export class LiveService {
  private readonly events = new Subject<LiveEvent>();
  private source: EventSource | null = null;
  private readonly seen = fromEvent(document, 'visibilitychange').pipe(
    filter(() => !document.hidden),
    map(() => undefined),
  );
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

  /** Emits when one of the topics was announced, every two seconds at the most, and only while the page is seen: else once, when it is seen again. */
  on(topics: readonly string[]): Observable<void> {
    return this.events.pipe(
      filter((event) => event.topics.some((topic) => topics.includes(topic))),
      map(() => undefined),
      throttleTime(2_000, undefined, { leading: true, trailing: true }),
      switchMap(() => (document.hidden ? this.seen.pipe(take(1)) : of(undefined))),
    );
  }
}
