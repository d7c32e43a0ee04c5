import { DestroyRef, inject, Injectable, signal } from '@angular/core';
import { toObservable } from '@angular/core/rxjs-interop';
import type { Audience } from '@nudrik/core';
import { wrap, type Remote } from 'comlink';
import { debounceTime, filter, switchMap } from 'rxjs';
import { ConditionPeople } from '../conditions/condition-rows.ts';
import type { AudienceAnswer, AudienceWork, BuilderFacts } from './audience.worker.ts';

/** The worker that knows everyone, and what it last answered. One for each builder. */
@Injectable()
export class AudienceStore extends ConditionPeople {
  private readonly worker = new Worker(new URL('./audience.worker', import.meta.url), { type: 'module' });
  private readonly work: Remote<AudienceWork> = wrap<AudienceWork>(this.worker);
  readonly facts = signal<BuilderFacts | null>(null);
  readonly answer = signal<AudienceAnswer | null>(null);
  readonly problem = signal<string | null>(null);
  private readonly question = signal<Audience | null>(null);
  private readonly names = signal<Record<string, string>>({});

  constructor() {
    super();
    inject(DestroyRef).onDestroy(() => this.worker.terminate());
    const opened = this.work.open().then(
      (facts) => this.facts.set(facts),
      (error: Error) => this.problem.set(error.message),
    );
    toObservable(this.question)
      .pipe(
        filter((audience) => audience !== null),
        debounceTime(60),
        // an answer that comes too late is no answer
        switchMap(async (audience) => {
          await opened;
          return this.facts() ? this.work.ask(audience) : null;
        }),
      )
      .subscribe((answer) => answer && this.answer.set(answer));
  }

  async ask(audience: Audience): Promise<void> {
    this.question.set(audience);
    const heads =
      JSON.stringify(audience)
        .match(/"line":\[[^\]]*\]/g)
        ?.flatMap((part) => part.match(/\d+/g) ?? []) ?? [];
    const unknown = heads.filter((id) => !(id in this.names()));
    if (unknown.length === 0) return;
    const names = await this.work.nameOf(unknown);
    this.names.update((known) => ({ ...known, ...names }));
  }

  override nameOf(id: string): string {
    return this.names()[id] ?? '…';
  }

  override learn({ id, name }: { id: string; name: string }): void {
    this.names.update((known) => ({ ...known, [id]: name }));
  }

  override findPeople(text: string): Promise<{ id: string; name: string; words: string }[]> {
    return this.work.findPeople(text);
  }
}
