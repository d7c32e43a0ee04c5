import { Injectable, type OnDestroy } from '@angular/core';
import { wrap, type Remote } from 'comlink';
import type { RehearsalWork } from './rehearsal.worker.ts';

/** The worker that plays rehearsals: begun when it is first asked, ended with the page. */
@Injectable()
export class RehearsalLink implements OnDestroy {
  private worker: Worker | null = null;
  private remote: Remote<RehearsalWork> | null = null;

  get desk(): Pick<Remote<RehearsalWork>, 'open' | 'play' | 'moments' | 'day' | 'otherwise' | 'letter' | 'csv'> {
    if (!this.remote) {
      this.worker = new Worker(new URL('./rehearsal.worker', import.meta.url), { type: 'module' });
      this.remote = wrap<RehearsalWork>(this.worker);
    }
    return this.remote;
  }

  ngOnDestroy(): void {
    this.worker?.terminate();
  }
}
