import { ChangeDetectionStrategy, Component, computed, inject, input, signal } from '@angular/core';
import { toObservable } from '@angular/core/rxjs-interop';
import { FormsModule } from '@angular/forms';
import { RouterLink } from '@angular/router';
import type { TimelineEntry } from '@nudrik/contract';
import { KindMark } from '../shared/kind-mark.ts';
import { load } from '../shared/loaded.ts';
import { SessionStore } from '../access/session.store.ts';
import { MomentPipe, zoneWords } from '../shared/moment.pipe.ts';
import { SelectField } from '../shared/pick/select.ts';
import { Outcome } from '../shared/outcome.ts';
import { PeopleApi } from './people.api.ts';

const WHAT: readonly (readonly [TimelineEntry['what'], string])[] = [
  ['assignment', 'assignments'],
  ['notice', 'notices'],
  ['finish', 'finishes'],
  ['certificate', 'certificates'],
  ['change', 'changes'],
];

/** Everything that happened to a person, oldest to newest, and what is still to come; filtered by what and by course. */
@Component({
  selector: 'nk-person-timeline',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [FormsModule, RouterLink, SelectField, KindMark, MomentPipe, Outcome],
  template: `
    @if (line.data(); as all) {
      <div class="filters" role="group" aria-label="Show">
        @for (entry of what; track entry[0]) {
          <label><input type="checkbox" [checked]="!hidden().has(entry[0])" (change)="toggle(entry[0])" /> {{ entry[1] }}</label>
        }
        @if (courses().length > 1) {
          <nk-select label="Course" [options]="courseFilters()" [ngModel]="course()" (ngModelChange)="course.set($event)" />
        }
      </div>
      @if (zone() !== session.zone()) {<p class="quiet small" style="margin-bottom: 6px">Days and times are {{ zoneWords(zone()) }}.</p>}
      <table class="list" data-testid="timeline">
        <tbody>
          @for (entry of shown(); track $index) {
            @if (entry.isAhead && !shown()[$index - 1]?.isAhead) {
              <tr class="now"><td colspan="3">Still to come</td></tr>
            }
            <tr [class.ahead]="entry.isAhead">
              <td class="when nowrap">{{ entry.at | moment: 'date' : zone() }}<div class="quiet small">{{ entry.at | moment: 'time' : zone() }}</div></td>
              <td class="mark">@if (entry.kind) {<nk-kind [kind]="entry.kind" />}</td>
              <td>
                @if (entry.noticeId) {
                  <a class="plain" [routerLink]="['/ledger', entry.noticeId]" [queryParams]="{ person: id() }">{{ entry.words }}</a>
                  <div class="small"><nk-outcome [state]="entry.outcome!" [because]="entry.because" /></div>
                } @else {
                  <span [class.done]="entry.what === 'finish'">{{ entry.words }}</span>
                  @if (entry.byWhom) {<div class="quiet small">{{ entry.byWhom }}</div>}
                  @if (entry.document) {<div class="small"><a [href]="entry.document" target="_blank">Record of the sign-off</a></div>}
                }
              </td>
            </tr>
          } @empty {
            <tr><td class="quiet">{{ all.length ? 'Nothing of this kind.' : 'Nothing happened yet.' }}</td></tr>
          }
        </tbody>
      </table>
    } @else if (line.error()) {
      <p class="refusal" role="alert">{{ line.error() }}</p>
    } @else {
      <p class="loading">Gathering what happened …</p>
    }
  `,
  styles: `
    .filters { gap: 6px 14px; margin-bottom: 8px; font-size: 13px; }
    .when { width: 96px; }
    .mark { width: 28px; }
    .small { font-size: 12.5px; }
    .now td { border-bottom: 1px solid var(--plum); color: var(--plum); font-size: 12.5px; padding-top: 12px; }
    .ahead { color: var(--quiet); }
  `,
})
export class PersonTimeline {
  private readonly api = inject(PeopleApi);
  protected readonly session = inject(SessionStore);
  readonly id = input.required<string>();
  /** the zone of whom it is about */
  readonly zone = input.required<string>();
  protected readonly zoneWords = zoneWords;
  protected readonly what = WHAT;
  protected readonly hidden = signal<ReadonlySet<string>>(new Set());
  protected readonly course = signal<string | null>(null);
  protected readonly line = load(toObservable(this.id), (id) => this.api.timeline(id), ['people', 'assignments', 'notices', 'clock']);
  protected readonly courses = computed(() => {
    const byId = new Map((this.line.data() ?? []).flatMap(({ course }) => (course ? [[course.id, course] as const] : [])));
    return [...byId.values()].sort((a, b) => (a.title < b.title ? -1 : 1));
  });
  protected readonly courseFilters = computed(() => [
    { value: null, label: 'every course' },
    ...this.courses().map(({ id, title }) => ({ value: id, label: title })),
  ]);
  protected readonly shown = computed(() =>
    (this.line.data() ?? []).filter(
      (entry) => !this.hidden().has(entry.what) && (this.course() === null || entry.course?.id === this.course()),
    ),
  );

  protected toggle(what: string): void {
    this.hidden.update((hidden) => {
      const next = new Set(hidden);
      if (!next.delete(what)) next.add(what);
      return next;
    });
  }
}
