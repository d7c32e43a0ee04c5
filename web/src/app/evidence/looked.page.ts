import { ChangeDetectionStrategy, Component, computed, inject, input } from '@angular/core';
import { toObservable } from '@angular/core/rxjs-interop';
import { FormsModule } from '@angular/forms';
import { Router, RouterLink } from '@angular/router';
import { SessionStore } from '../access/session.store.ts';
import { load } from '../shared/loaded.ts';
import { MomentPipe } from '../shared/moment.pipe.ts';
import { paramsOf } from '../shared/params.ts';
import { SelectField, type Choice } from '../shared/pick/select.ts';
import { EvidenceApi } from './evidence.api.ts';
import { EvidenceViews } from './evidence-views.ts';

/** What an auditor looked at, and which files left the house: an auditor's own, and to administrators everybody's. */
@Component({
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [EvidenceViews, FormsModule, MomentPipe, RouterLink, SelectField],
  template: `
    <div class="work">
      <div class="page-head"><div><h1>What was looked at</h1><p class="quiet">{{ isOwn() ? 'What you looked at and which files you took; administrators see it too' : 'What auditors looked at, and which files the office took out of the house' }}. Moments in {{ session.zoneWords() }}</p></div></div>
      <nk-evidence-views current="looked" />
      <div class="filters">
        <span class="pair">Show <nk-select label="Show" [options]="whats" [ngModel]="what() ?? 'all'" (ngModelChange)="filter({ what: $event === 'all' ? null : $event })" /></span>
        @if (!isOwn()) {<span class="pair">Of <nk-select label="Of whom" [options]="whose()" [ngModel]="by() ?? ''" (ngModelChange)="filter({ by: $event || null })" /></span>}
      </div>
      @if (looked.error()) {
        <p class="refusal" role="alert">{{ looked.error() }} <button class="link" (click)="looked.reload()">Try again</button></p>
      } @else if (looked.data(); as view) {
        @if (view.rows.length === 0) {
          <div class="empty"><p>{{ what() || by() || before() ? 'Nothing fits.' : 'Nothing yet: whatever is looked at from now on stands here.' }}</p></div>
        } @else {
          <table class="list">
            <thead><tr><th>Last</th><th>Who</th><th>What</th><th class="num">Times that day</th></tr></thead>
            <tbody>
              @for (row of view.rows; track row.id) {
                <tr data-row>
                  <td class="nowrap">{{ row.lastAt | moment }}</td>
                  <td class="nowrap">{{ row.byWhom }}</td>
                  <td>@if (row.what === 'took') {<span class="soon">took</span>&ngsp;}{{ row.words }}</td>
                  <td class="num quiet">{{ row.times }}</td>
                </tr>
              }
            </tbody>
          </table>
          @if (view.further) {<p><a [routerLink]="[]" [queryParams]="{ before: view.further }" queryParamsHandling="merge">Earlier</a></p>}
        }
        @if (before()) {<p><a [routerLink]="[]" [queryParams]="{ before: null }" queryParamsHandling="merge">The newest</a></p>}
      } @else {
        <p class="loading">Reading what was looked at …</p>
      }
    </div>
  `,
})
export class LookedPage {
  private readonly api = inject(EvidenceApi);
  private readonly router = inject(Router);
  protected readonly session = inject(SessionStore);
  readonly what = input<string>();
  readonly by = input<string>();
  readonly before = input<string>();
  protected readonly whats: Choice[] = [
    { value: 'all', label: 'all of it' },
    { value: 'looked', label: 'what was looked at' },
    { value: 'took', label: 'files that were taken' },
  ];
  protected readonly isOwn = computed(() => this.session.account()?.role !== 'administrator');
  private readonly params = computed(() => paramsOf({ what: this.what(), by: this.by(), before: this.before() }));
  protected readonly looked = load(toObservable(this.params), (params) => this.api.looked(params));
  protected readonly whose = computed((): Choice[] => [
    { value: '', label: 'anybody' },
    ...(this.looked.data()?.whose ?? []).map((name) => ({ value: name, label: name })),
  ]);

  protected filter(change: Record<string, string | null>): void {
    void this.router.navigate([], { queryParams: { ...change, before: null }, queryParamsHandling: 'merge' });
  }
}
