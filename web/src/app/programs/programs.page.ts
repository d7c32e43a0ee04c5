import { ChangeDetectionStrategy, Component, inject, signal } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { SCOPE_WORDS, SCOPES, type Scope, type TokenRow } from '@nudrik/contract';
import { dayOf, tellDate } from '@nudrik/core';
import { finalize, of } from 'rxjs';
import { load } from '../shared/loaded.ts';
import { MomentPipe } from '../shared/moment.pipe.ts';
import { DateField } from '../shared/pick/date-field.ts';
import { sentenceOf } from '../shared/refusal.ts';
import { ProgramsApi } from './programs.api.ts';
import { ProgramsViews } from './programs-views.ts';
import { ToldOnce } from './told-once.ts';

/** What other programs may read here: a token for each, what it opens, and when it was last used. */
@Component({
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [DateField, FormsModule, MomentPipe, ProgramsViews, ToldOnce],
  template: `
    <div class="work">
      <nk-programs-views />
      <div class="page-head">
        <div><h1>Other programs</h1><p class="quiet">They read by a token, and change nothing; one with the scope completions brings completions. <a href="/api/v1/openapi.json" download>What they may ask, as OpenAPI 3.1</a></p></div>
        <span class="grow"></span>
        @if (!isMaking()) {<button class="button filled" (click)="begin()">A new token</button>}
      </div>
      @if (problem()) {<p class="refusal" role="alert">{{ problem() }}</p>}
      @if (made(); as token) {
        <nk-told-once words="This is the token." [text]="token" (taken)="made.set(null)" />
      }
      @if (isMaking()) {
        <form class="make" (ngSubmit)="make()" aria-label="A new token">
          <label class="field"><span>What it is for</span><input class="input" name="name" maxlength="80" [(ngModel)]="name" /></label>
          <fieldset>
            <legend class="label">What it may</legend>
            @for (scope of scopes; track scope) {<label class="scope"><input type="checkbox" [checked]="chosen().includes(scope)" (change)="toggle(scope)" /> {{ scope }}<span class="quiet">({{ words[scope] }})</span></label>}
          </fieldset>
          <div class="field until"><span>Its last day</span><nk-date label="Its last day" placeholder="without end" [ngModel]="until()" (ngModelChange)="until.set($event ?? '')" name="until" /></div>
          <div class="gap"><button class="button filled" [disabled]="isBusy()">Make it</button><button type="button" class="link" (click)="isMaking.set(false)">Leave it</button></div>
        </form>
      }
      @if (view.error()) {
        <p class="refusal" role="alert">{{ view.error() }} <button class="link" (click)="view.reload()">Try again</button></p>
      } @else if (view.data(); as data) {
        @if (data.tokens.length === 0) {
          @if (!isMaking()) {<div class="empty"><p>No other program reads here.</p></div>}
        } @else {
          <table class="list">
            <thead><tr><th>For</th><th>May</th><th>Made</th><th>Last day</th><th>Last used</th><th></th></tr></thead>
            <tbody>
              @for (row of data.tokens; track row.id) {
                <tr data-row [class.quiet]="row.endedAt">
                  <td><strong>{{ row.name }}</strong></td>
                  <td>{{ row.scopes.join(', ') }}</td>
                  <td class="nowrap">{{ row.madeAt | moment }}<div class="quiet small">{{ row.madeBy }}</div></td>
                  <td class="nowrap">{{ row.until ? day(row.until) : 'without end' }}</td>
                  <td class="nowrap">@if (row.lastUsedAt) {{{ row.lastUsedAt | moment }}} @else {<span class="quiet">never</span>}</td>
                  <td class="nowrap">
                    @if (row.endedAt) {ended {{ row.endedAt | moment }} by {{ row.endedBy }}}
                    @else if (ending() === row.id) {It opens nothing from then on.&ngsp;<button class="button small" (click)="end(row)">End it</button>&ngsp;<button class="link" (click)="ending.set(null)">Leave it</button>}
                    @else {<button class="link" (click)="ending.set(row.id)" [attr.aria-label]="'End the token ' + row.name">End</button>}
                  </td>
                </tr>
              }
            </tbody>
          </table>
        }
      } @else {
        <p class="loading">Reading which programs read here …</p>
      }
    </div>
  `,
  styles: `
    .make { border: 1px solid var(--rule); background: var(--sheet); padding: 16px 18px; margin-bottom: 20px; max-width: 760px; }
    fieldset { border: 0; padding: 0; margin: 0 0 8px; }
    .scope { display: flex; gap: 8px; align-items: center; min-height: 26px; }
    .until { max-width: 200px; }
  `,
}) // prettier-ignore
export class ProgramsPage {
  private readonly api = inject(ProgramsApi);
  protected readonly view = load(of(true), () => this.api.view(), ['programs']);
  protected readonly scopes = SCOPES;
  protected readonly words = SCOPE_WORDS;
  protected readonly isMaking = signal(false);
  protected readonly isBusy = signal(false);
  protected readonly problem = signal<string | null>(null);
  protected readonly made = signal<string | null>(null);
  protected readonly ending = signal<string | null>(null);
  protected readonly chosen = signal<Scope[]>([]);
  protected readonly until = signal('');
  protected name = '';

  protected readonly day = (on: string): string => tellDate(dayOf(on));

  protected begin(): void {
    this.name = '';
    this.chosen.set([]);
    this.until.set('');
    this.made.set(null);
    this.problem.set(null);
    this.isMaking.set(true);
  }

  protected toggle(scope: Scope): void {
    this.chosen.update((list) => (list.includes(scope) ? list.filter((one) => one !== scope) : [...list, scope]));
  }

  protected make(): void {
    if (this.isBusy()) return;
    this.isBusy.set(true);
    this.problem.set(null);
    this.api
      .make({ name: this.name, scopes: this.chosen(), until: this.until() || null })
      .pipe(finalize(() => this.isBusy.set(false)))
      .subscribe({
        next: ({ token }) => {
          this.isMaking.set(false);
          this.made.set(token);
          this.view.reload();
        },
        error: (error: unknown) => this.problem.set(sentenceOf(error)),
      });
  }

  protected end({ id }: TokenRow): void {
    this.ending.set(null);
    this.problem.set(null);
    this.api.end(id).subscribe({ next: () => this.view.reload(), error: (error: unknown) => this.problem.set(sentenceOf(error)) });
  }
}
