import { ChangeDetectionStrategy, Component, computed, inject, input, output, signal } from '@angular/core';
import { toObservable } from '@angular/core/rxjs-interop';
import type { LearningSessions } from '@nudrik/contract';
import type { Observable } from 'rxjs';
import { load } from '../shared/loaded.ts';
import { MomentPipe, zoneWords } from '../shared/moment.pipe.ts';
import { sentenceOf } from '../shared/refusal.ts';
import { SessionsApi } from './sessions.api.ts';

type Row = LearningSessions['sessions'][number];

/** The sessions of a unit, for whoever is to come to one: where they have a seat, and which they may choose. */
@Component({
  selector: 'nk-unit-sessions',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [MomentPipe],
  template: `
    @if (view.data(); as data) {
      @if (told()) {<p class="success" role="status">{{ told() }}</p>}
      @if (problem()) {<p class="refusal" role="alert">{{ problem() }}</p>}
      <ul>
        @for (one of data.sessions; track one.id) {
          <li [class.mine]="one.mine">
            <p><strong>{{ one.startsAt | moment: 'moment' : one.zone }}</strong> to {{ one.endsAt | moment: 'time' : one.zone }} <span class="quiet">{{ zoneWords(one.zone) }}</span></p>
            <p>{{ one.title }}@if (one.place) {, {{ one.place }}}@if (one.trainer) {<span class="quiet">, led by {{ one.trainer.name }}</span>}</p>
            @if (one.link && one.mine === 'seat') {<p><a [href]="one.link" target="_blank" rel="noopener">Join online</a></p>}
            <p class="gap">
              @switch (one.mine) {
                @case ('seat') {<span class="done">You have a seat.</span>}
                @case ('waiting') {<span class="soon">You wait for a seat, and are told when there is one.</span>}
                @default {<span class="quiet">{{ one.seats > one.taken ? (one.seats - one.taken) + ' of ' + one.seats + ' seats free' : 'full' + (one.waiting ? ', ' + one.waiting + ' waiting' : '') }}</span>}
              }
              @if (one.clash) {<span class="soon">Then you have a seat in something else, or leave: {{ one.clash }}.</span>}
              @if (data.mayChoose && !isOver()) {
                @if (one.mine) {
                  @if (!one.isClosed) {<button class="link" (click)="giveUp(one)" [attr.aria-label]="'Give up ' + one.title">Give it up</button>}
                } @else if (one.isClosed) {
                  <span class="quiet">Too late to choose it.</span>
                } @else {
                  <button class="button small" (click)="choose(one)" [attr.aria-label]="'Choose ' + one.title">{{ one.seats > one.taken ? (one.clash ? 'Choose it anyway' : mine() ? 'Choose this one instead' : 'Choose it') : 'Wait for a seat' }}</button>
                }
              }
            </p>
          </li>
        } @empty {
          <li class="quiet">No date yet. You are told here once there is one.</li>
        }
      </ul>
      @if (!data.mayChoose) {<p class="quiet">You are given a seat by your manager or the training office.</p>}
    } @else if (view.error()) {
      <p class="refusal" role="alert">{{ view.error() }}</p>
    } @else {
      <p class="loading">Opening the dates …</p>
    }
  `,
  styles: `
    ul { list-style: none; margin: 0 0 10px; padding: 0; }
    li { border-top: 1px solid var(--rule); padding: 10px 0; }
    .mine { border-left: 3px solid var(--plum); padding-left: 12px; }
    .button { min-height: 36px; }
  `,
})
export class UnitSessions {
  private readonly api = inject(SessionsApi);
  readonly token = input.required<string>();
  readonly unit = input.required<string>();
  readonly isOver = input(false);
  readonly changed = output();
  private readonly asked = computed(() => ({ token: this.token(), unit: this.unit() }));
  protected readonly view = load(toObservable(this.asked), ({ token, unit }) => this.api.own(token, unit), ['sessions']);
  protected readonly zoneWords = zoneWords;
  protected readonly told = signal<string | null>(null);
  protected readonly problem = signal<string | null>(null);
  protected readonly mine = computed(() => this.view.data()?.sessions.some(({ mine }) => mine) ?? false);

  protected choose({ id, clash }: Row): void {
    this.ask(this.api.ownSeat(this.token(), this.unit(), id, clash !== null || this.mine()));
  }

  protected giveUp({ id }: Row): void {
    this.ask(this.api.ownGiveUp(this.token(), this.unit(), id));
  }

  private ask(asked: Observable<{ words: string }>): void {
    this.problem.set(null);
    asked.subscribe({
      next: ({ words }) => {
        this.told.set(words);
        this.view.reload();
        this.changed.emit();
      },
      error: (error: unknown) => {
        this.told.set(null);
        this.problem.set(sentenceOf(error));
        this.view.reload();
      },
    });
  }
}
