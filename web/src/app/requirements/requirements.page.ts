import { DecimalPipe } from '@angular/common';
import { ChangeDetectionStrategy, Component, computed, inject } from '@angular/core';
import { Router, RouterLink } from '@angular/router';
import { of } from 'rxjs';
import { SessionStore } from '../access/session.store.ts';
import { load } from '../shared/loaded.ts';
import { MomentPipe } from '../shared/moment.pipe.ts';
import { RequirementsApi } from './requirements.api.ts';
import { RequirementsTabs } from './requirements-tabs.ts';

/** All standing rules: whether each is on, whom it asks, and how that stands. */
@Component({
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [DecimalPipe, RouterLink, MomentPipe, RequirementsTabs],
  template: `
    <div class="work">
      <nk-requirements-tabs />
      <div class="page-head">
        <div>
          <h1>Requirements</h1>
          <p class="quiet">Who must hold which course, by when, how often again. {{ summary() }}</p>
        </div>
        <span class="grow"></span>
        @if (session.canChange()) {
          <a class="button filled" routerLink="/requirements/new">New requirement</a>
        }
      </div>
      @if (list.error()) {
        <p class="refusal" role="alert">{{ list.error() }} <button class="link" (click)="list.reload()">Try again</button></p>
      }
      @if (list.data(); as rows) {
        @if (rows.length === 0) {
          <div class="empty">
            <p>No requirement yet. A requirement asks a course of everyone it concerns, takes in who joins later, and asks again before it runs out, so that nobody has to remember.</p>
            @if (session.canChange()) {
              <p><a class="button filled" routerLink="/requirements/new">Write the first one</a></p>
            }
          </div>
        } @else {
          <table class="list">
            <thead>
              <tr><th></th><th>Requirement</th><th>Course</th><th>Due</th><th class="num">In</th><th class="num">Open</th><th class="num">Late</th><th class="num">Joining, 7 days</th></tr>
            </thead>
            <tbody>
              @for (row of rows; track row.id) {
                <tr data-row tabindex="0" (click)="open(row.id)">
                  <td class="nowrap" style="width: 44px">@if (row.isOn) {<span class="done">on</span>} @else {<span class="soon">off</span>}</td>
                  <td>
                    <strong>{{ row.name }}</strong>
                    <div class="quiet">{{ row.audience }}</div>
                    @if (row.notAsked) {<div class="soon">{{ row.notAsked | number }} more {{ row.notAsked === 1 ? 'fits' : 'fit' }} it and {{ row.notAsked === 1 ? 'is' : 'are' }} not asked: it takes in nobody later</div>}
                    @if (row.asks) {<div class="late">{{ row.asks }} no longer in, to be decided</div>}
                    @if (!row.isOn) {<div class="quiet">{{ row.switchedOnAt ? 'switched off ' : 'never switched on; written ' }}{{ row.changedAt | moment: 'date' }} by {{ row.changedBy }}</div>}
                  </td>
                  <td>{{ row.course.title }}</td>
                  <td>{{ row.due }}@if (row.renewal) {<div class="quiet">again {{ row.renewal }}</div>}</td>
                  <td class="num">{{ row.in | number }}</td>
                  <td class="num">{{ (row.open || null) | number }}</td>
                  <td class="num late">{{ (row.late || null) | number }}</td>
                  <td class="num">{{ (row.joining || null) | number }}</td>
                </tr>
              }
            </tbody>
          </table>
        }
      } @else if (!list.error()) {
        <p class="loading">Looking up the requirements …</p>
      }
    </div>
  `,
})
export class RequirementsPage {
  private readonly router = inject(Router);
  protected readonly session = inject(SessionStore);
  private readonly api = inject(RequirementsApi);
  protected readonly list = load(of(true), () => this.api.list(), ['requirements', 'people', 'assignments', 'clock']);
  protected readonly summary = computed(() => {
    const rows = this.list.data();
    if (!rows?.length) return '';
    const off = rows.filter(({ isOn }) => !isOn).length;
    return `${rows.length - off} on${off ? `, ${off} off` : ''}.`;
  });

  protected open(id: string): void {
    void this.router.navigate(['/requirements', id]);
  }
}
