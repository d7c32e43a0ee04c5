import { ChangeDetectionStrategy, Component, inject, signal } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { RouterLink } from '@angular/router';
import type { ActResult, WaiverRequestView } from '@nudrik/contract';
import { of } from 'rxjs';
import { SessionStore } from '../access/session.store.ts';
import { RequirementsTabs } from '../requirements/requirements-tabs.ts';
import { load } from '../shared/loaded.ts';
import { MomentPipe } from '../shared/moment.pipe.ts';
import { DateField } from '../shared/pick/date-field.ts';
import { sentenceOf } from '../shared/refusal.ts';
import { AssignmentsApi } from './assignments.api.ts';
import { Undo } from './undo.ts';

/** What managers ask the office to waive, and what became of it. */
@Component({
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [DateField, FormsModule, MomentPipe, RequirementsTabs, RouterLink, Undo],
  template: `
    <div class="work">
      <nk-requirements-tabs />
      <div class="page-head"><div><h1>Waivers asked for</h1><p class="quiet">What managers ask for their people. A waiver is on the record as any other, with who asked for it.</p></div></div>
      @if (problem() ?? list.error(); as words) {<p class="refusal" role="alert">{{ words }}</p>}
      @if (done(); as act) {<nk-undo [done]="act" />}
      @if (list.data(); as rows) {
        <table class="list">
          <thead><tr><th>Person</th><th>Course</th><th>Due</th><th>Why</th><th>Asked by</th><th>Answer</th></tr></thead>
          <tbody>
            @for (row of rows; track row.id) {
              <tr>
                <td><a class="plain" [routerLink]="['/people', row.person.id]">{{ row.person.name }}</a></td>
                <td>{{ row.course.title }}</td>
                <td class="nowrap">{{ row.dueAt | moment: 'day' }}</td>
                <td>“{{ row.reason }}”</td>
                <td>{{ row.askedBy }}<div class="quiet">{{ row.askedAt | moment }}</div></td>
                <td>
                  @if (row.answer; as answer) {
                    <span [class.done]="answer.isWaived" [class.late]="!answer.isWaived">{{ answer.isWaived ? 'waived' : 'not waived' }}</span> <span class="quiet">by {{ answer.byWhom }}, {{ answer.at | moment: 'day' }}</span>
                    @if (answer.words) {<div class="quiet">{{ answer.words }}</div>}
                  } @else if (session.canChange()) {
                    <button class="button small" (click)="open(row)" [attr.aria-label]="'Answer about ' + row.person.name" [attr.aria-expanded]="answering() === row.id">Answer</button>
                  } @else {<span class="soon">waits</span>}
                </td>
              </tr>
              @if (answering() === row.id) {
                <tr>
                  <td colspan="6">
                    <form class="gap" (submit)="$event.preventDefault()">
                      <label class="field grow"><span>What {{ row.askedBy }} reads; where it is waived, {{ row.person.name }} too</span><input class="input" name="words" maxlength="500" [(ngModel)]="words" /></label>
                      <div class="field"><span>Waived until</span><nk-date label="Waived until" placeholder="for good" name="until" [ngModel]="until()" (ngModelChange)="until.set($event ?? '')" /></div>
                      <button type="button" class="button filled" (click)="answer(row, true)">Waive it</button>
                      <button type="button" class="button plain" (click)="answer(row, false)">Do not waive</button>
                    </form>
                  </td>
                </tr>
              }
            } @empty {
              <tr><td class="quiet" colspan="6">Nobody asked for a waiver.</td></tr>
            }
          </tbody>
        </table>
      }
    </div>
  `,
  styles: `.grow { flex: 1; min-width: 220px; } .gap { align-items: end; }`,
})
export class WaiversPage {
  private readonly api = inject(AssignmentsApi);
  protected readonly session = inject(SessionStore);
  protected readonly list = load(of(true), () => this.api.waivers(), ['waivers', 'assignments']);
  protected readonly answering = signal<string | null>(null);
  protected readonly problem = signal<string | null>(null);
  protected readonly done = signal<ActResult | null>(null);
  protected readonly until = signal('');
  protected words = '';

  protected open({ id }: WaiverRequestView): void {
    this.answering.set(this.answering() === id ? null : id);
    this.words = '';
    this.until.set('');
    this.problem.set(null);
  }

  protected answer({ id }: WaiverRequestView, isWaived: boolean): void {
    this.problem.set(null);
    this.api.answerWaiver(id, { isWaived, words: this.words.trim() || null, until: isWaived ? this.until() || null : null }).subscribe({
      next: (done) => {
        this.answering.set(null);
        this.done.set(done);
        this.list.reload();
      },
      error: (error: unknown) => this.problem.set(sentenceOf(error)),
    });
  }
}
