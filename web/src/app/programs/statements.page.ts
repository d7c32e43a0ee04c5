import { ChangeDetectionStrategy, Component, computed, inject, input, signal } from '@angular/core';
import { toObservable, toSignal } from '@angular/core/rxjs-interop';
import { FormsModule } from '@angular/forms';
import { Router, RouterLink } from '@angular/router';
import { STATEMENT_OUTCOMES, TO_SEE, type StatementRow } from '@nudrik/contract';
import { tellAmount } from '@nudrik/core';
import { catchError, map, of, type Observable } from 'rxjs';
import { CoursesApi } from '../courses/courses.api.ts';
import { load } from '../shared/loaded.ts';
import { MomentPipe } from '../shared/moment.pipe.ts';
import { SelectField, type Choice } from '../shared/pick/select.ts';
import { sentenceOf } from '../shared/refusal.ts';
import { ProgramsApi } from './programs.api.ts';
import { ProgramsViews } from './programs-views.ts';

const NONE = 'none';

/** Completions that other programs brought, and what nobody could match: whom, or which course, is meant. */
@Component({
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [FormsModule, MomentPipe, ProgramsViews, RouterLink, SelectField],
  template: `
    <div class="work">
      <nk-programs-views />
      <div class="page-head">
        <div><h1>Completions that other programs bring</h1><p class="quiet">As statements of xAPI (1.0.3, 2.0), to <code>{{ view.data()?.endpoint }}</code>, by a token with the scope completions.</p></div>
        <span class="grow"></span>
        <button class="button" [disabled]="isBusy()" (click)="again()">Match again</button>
      </div>
      @if (problem()) {<p class="refusal" role="alert">{{ problem() }}</p>}
      @if (told()) {<p class="success" role="status">{{ told() }}</p>}
      @if (view.error()) {
        <p class="refusal" role="alert">{{ view.error() }} <button class="link" (click)="view.reload()">Try again</button></p>
      } @else if (view.data(); as data) {
        @if (data.activities.length > 0) {
          <h2>Which course is it?</h2>
          <table class="list">
            <tbody>
              @for (row of data.activities; track row.activity) {
                <tr data-row>
                  <td>@if (row.title) {<strong>{{ row.title }}</strong><br />}<span class="iri quiet">{{ row.activity }}</span></td>
                  <td class="nowrap">{{ amount(row.count, 'statements') }}</td>
                  <td class="choose"><nk-select [label]="'Course of ' + row.activity" placeholder="choose a course" [options]="courses()" [isAct]="true" [ngModel]="null" (ngModelChange)="say(row.activity, $event)" /></td>
                </tr>
              }
            </tbody>
          </table>
        }
        <div class="tabs">
          <button [class.here]="show() !== 'all'" [attr.aria-pressed]="show() !== 'all'" (click)="filter(null)">To look at ({{ data.toSee }})</button>
          <button [class.here]="show() === 'all'" [attr.aria-pressed]="show() === 'all'" (click)="filter('all')">All</button>
        </div>
        @if (data.rows.length === 0) {
          <div class="empty"><p>{{ show() === 'all' ? 'Nothing was brought yet.' : 'Nothing has to be looked at.' }}</p></div>
        } @else {
          <table class="list">
            <thead><tr><th>When</th><th>Whom it names</th><th>What</th><th>What came of it</th><th></th></tr></thead>
            <tbody>
              @for (row of data.rows.concat(more()); track row.id) {
                <tr data-row>
                  <td class="nowrap">{{ row.at | moment }}<div class="quiet small">{{ row.program }}</div></td>
                  <td>@if (row.personId) {<a [routerLink]="['/people', row.personId]">{{ row.who }}</a>} @else {{{ row.who }}}</td>
                  <td>{{ row.verb }}<div class="quiet small iri">{{ row.title ?? row.activity }}</div></td>
                  <td><span [class.soon]="isToSee(row)">{{ outcomes[row.outcome] }}</span><div class="quiet small">{{ row.words }}</div></td>
                  <td class="nowrap">@if (isToSee(row)) {<button class="link" (click)="see(row)" [attr.aria-label]="'Nothing to do for ' + row.who">Nothing to do</button>} @else if (row.seenAt) {<span class="quiet small">{{ row.seenBy }}</span>}</td>
                </tr>
              }
            </tbody>
          </table>
          @if (next() ?? (more().length === 0 ? data.next : null); as after) {<button class="button" (click)="earlier(after)">Earlier</button>}
        }
      } @else {
        <p class="loading">Reading what was brought …</p>
      }
    </div>
  `,
  styles: `
    .iri { overflow-wrap: anywhere; }
    .choose { width: 280px; }
    .small { font-size: 12.5px; }
    .tabs { margin: 18px 0 10px; }
    code { font-family: var(--mono, ui-monospace, monospace); font-size: 13px; }
  `,
}) // prettier-ignore
export class StatementsPage {
  private readonly api = inject(ProgramsApi);
  private readonly router = inject(Router);
  readonly show = input<string>();
  protected readonly outcomes = STATEMENT_OUTCOMES;
  protected readonly amount = tellAmount;
  protected readonly view = load(toObservable(computed(() => (this.show() === 'all' ? ('all' as const) : ('to-see' as const)))), (show) => {
    this.more.set([]);
    this.next.set(null);
    return this.api.statements(show, null);
  }, ['programs']); // prettier-ignore
  protected readonly more = signal<StatementRow[]>([]);
  protected readonly next = signal<string | null>(null);
  protected readonly problem = signal<string | null>(null);
  protected readonly told = signal<string | null>(null);
  protected readonly isBusy = signal(false);
  protected readonly courses = toSignal(
    inject(CoursesApi)
      .list()
      .pipe(
        map((list) => [...list.map(({ id, title }): Choice => ({ value: id, label: title })), { value: NONE, label: 'none of ours' }]),
        catchError(() => of([])),
      ),
    { initialValue: [] },
  );
  protected readonly isToSee = ({ outcome, seenAt }: StatementRow): boolean => seenAt === null && TO_SEE.includes(outcome);

  protected filter(show: string | null): void {
    void this.router.navigate([], { queryParams: { show }, queryParamsHandling: 'merge' });
  }

  protected say(activity: string, course: string | null): void {
    if (course !== null) this.run(this.api.setActivity(activity, course === NONE ? null : course));
  }

  protected again(): void {
    this.run(this.api.settleAgain());
  }

  protected see({ id }: StatementRow): void {
    this.problem.set(null);
    this.api.see(id).subscribe({ next: () => this.view.reload(), error: (error: unknown) => this.problem.set(sentenceOf(error)) });
  }

  protected earlier(after: string): void {
    this.api.statements(this.show() === 'all' ? 'all' : 'to-see', after).subscribe({
      next: ({ rows, next }) => {
        this.more.update((list) => [...list, ...rows]);
        this.next.set(next);
      },
      error: (error: unknown) => this.problem.set(sentenceOf(error)),
    });
  }

  private run(request: Observable<{ recorded: number }>): void {
    if (this.isBusy()) return;
    this.isBusy.set(true);
    this.problem.set(null);
    this.told.set(null);
    request.subscribe({
      next: ({ recorded }) => {
        this.isBusy.set(false);
        this.told.set(recorded === 0 ? 'Nothing more could be recorded.' : `${tellAmount(recorded, 'completions')} ${recorded === 1 ? 'was' : 'were'} recorded.`);
        this.view.reload();
      },
      error: (error: unknown) => {
        this.isBusy.set(false);
        this.problem.set(sentenceOf(error));
      },
    });
  } // prettier-ignore
}
