import { ChangeDetectionStrategy, Component, inject, signal } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { HOOK_EVENT_KINDS, HOOK_EVENTS, type HookCallRow, type HookCallsView, type HookEvent, type HookRow } from '@nudrik/contract';
import { tellAmount } from '@nudrik/core';
import { finalize, of, type Observable } from 'rxjs';
import { load } from '../shared/loaded.ts';
import { MomentPipe } from '../shared/moment.pipe.ts';
import { sentenceOf } from '../shared/refusal.ts';
import { ProgramsApi } from './programs.api.ts';
import { ProgramsViews } from './programs-views.ts';
import { ToldOnce } from './told-once.ts';

/** Addresses that are told of what happens, as it happens: what was told, what waits and why, and what nobody took. */
@Component({
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [FormsModule, MomentPipe, ProgramsViews, ToldOnce],
  templateUrl: './hooks.page.html',
  styles: `
    .make { border: 1px solid var(--rule); background: var(--sheet); padding: 16px 18px; margin-bottom: 20px; max-width: 760px; }
    fieldset { border: 0; padding: 0; margin: 0 0 8px; }
    .scope { display: flex; gap: 8px; align-items: center; min-height: 26px; }
    .hook { border-top: 1px solid var(--rule); padding: 14px 0; }
    .head { display: flex; gap: 12px; align-items: baseline; flex-wrap: wrap; }
    .url { overflow-wrap: anywhere; }
    .small { font-size: 12.5px; }
  `,
})
export class HooksPage {
  private readonly api = inject(ProgramsApi);
  protected readonly view = load(of(true), () => this.api.hooks(), ['programs']);
  protected readonly kinds = HOOK_EVENT_KINDS;
  protected readonly words = HOOK_EVENTS;
  protected readonly amount = tellAmount;
  protected readonly isMaking = signal(false);
  protected readonly isBusy = signal(false);
  protected readonly problem = signal<string | null>(null);
  protected readonly made = signal<string | null>(null);
  protected readonly ending = signal<string | null>(null);
  protected readonly chosen = signal<HookEvent[]>([]);
  protected readonly open = signal<{ id: string; calls: HookCallsView } | null>(null);
  protected name = '';
  protected url = '';

  protected readonly tell = ({ what }: HookRow): string => what.map((one) => HOOK_EVENTS[one]).join('; ');

  protected begin(): void {
    this.name = '';
    this.url = '';
    this.chosen.set(['finished', 'certificate-issued']);
    this.made.set(null);
    this.problem.set(null);
    this.isMaking.set(true);
  }

  protected toggle(one: HookEvent): void {
    this.chosen.update((list) => (list.includes(one) ? list.filter((other) => other !== one) : [...list, one]));
  }

  protected make(): void {
    if (this.isBusy()) return;
    this.isBusy.set(true);
    this.problem.set(null);
    this.api
      .makeHook({ name: this.name, url: this.url.trim(), what: this.chosen() })
      .pipe(finalize(() => this.isBusy.set(false)))
      .subscribe({
        next: ({ secret }) => {
          this.isMaking.set(false);
          this.made.set(secret);
          this.view.reload();
        },
        error: (error: unknown) => this.problem.set(sentenceOf(error)),
      });
  }

  protected end({ id }: HookRow): void {
    this.ending.set(null);
    this.problem.set(null);
    this.api.endHook(id).subscribe({ next: () => this.view.reload(), error: (error: unknown) => this.problem.set(sentenceOf(error)) });
  }

  protected look(id: string, before: string | null = null): void {
    if (before === null && this.open()?.id === id) return this.open.set(null);
    this.api.calls(id, before).subscribe({
      next: (calls) => this.open.set({ id, calls: before === null ? calls : { rows: [...(this.open()?.calls.rows ?? []), ...calls.rows], next: calls.next } }),
      error: (error: unknown) => this.problem.set(sentenceOf(error)),
    });
  } // prettier-ignore

  protected again({ id }: HookRow, call: HookCallRow | null): void {
    this.settle(this.api.callAgain(id, call?.id ?? null));
  }

  protected leave({ id }: HookRow, call: HookCallRow | null): void {
    this.settle(this.api.leaveCalls(id, call?.id ?? null));
  }

  private settle(request: Observable<unknown>): void {
    this.problem.set(null);
    request.subscribe({
      next: () => {
        this.open.set(null);
        this.view.reload();
      },
      error: (error: unknown) => this.problem.set(sentenceOf(error)),
    });
  }
}
