import { ChangeDetectionStrategy, Component, computed, inject, input, output } from '@angular/core';
import { toObservable } from '@angular/core/rxjs-interop';
import { RouterLink } from '@angular/router';
import type { ActResult } from '@nudrik/contract';
import { dayOf, isOpenState, tellCell, tellDate } from '@nudrik/core';
import { SessionStore } from '../access/session.store.ts';
import { AssignmentActs } from '../assignments/assignment-acts.ts';
import { load } from '../shared/loaded.ts';
import { paramsOf } from '../shared/params.ts';
import { MomentPipe } from '../shared/moment.pipe.ts';
import { Outcome } from '../shared/outcome.ts';
import { ReportsApi } from './reports.api.ts';

/** What stands behind one cell of the matrix: the assignment, what was and will be told of it, and what may be done. */
@Component({
  selector: 'nk-matrix-sheet',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [AssignmentActs, MomentPipe, Outcome, RouterLink],
  template: `
    @if (sheet.data(); as view) {
      <section class="sheet" aria-live="polite" [attr.aria-label]="view.person.name + ', ' + view.course.title" (keydown.escape)="left.emit()">
        <p class="row"><b>{{ view.person.name }}</b><span class="grow"></span><button class="link" (click)="left.emit()">Close</button></p>
        <p class="quiet">{{ view.person.where }}</p>
        <p style="margin-top: 8px"><a class="plain" [routerLink]="['/matrix', view.course.id]" [queryParams]="{ on: on() ?? null, known: known() ?? null }">{{ view.course.title }}</a>: {{ words() }}</p>
        @if (view.assignment; as assignment) {
          <dl>
            <dt>Assigned</dt><dd>{{ assignment.assignedAt | moment: 'day' }}@if (assignment.round > 1) {, round {{ assignment.round }}}</dd>
            <dt>Due</dt><dd>{{ assignment.dueAt | moment: 'moment' }}</dd>
            <dt>State</dt><dd>{{ assignment.state }}, {{ assignment.unitsDone }} of {{ assignment.unitsRequired }} units</dd>
            <dt>Last notice</dt><dd>@if (assignment.last; as last) {<a class="plain" [routerLink]="['/ledger', last.id]">{{ last.what }}</a>, {{ last.at | moment }} <nk-outcome [state]="last.outcome" />} @else {<span class="quiet">none yet</span>}</dd>
            @if (!on()) {<dt>Next notice</dt><dd>@if (assignment.next; as next) {<a class="plain" [routerLink]="['/ledger', next.id]">{{ next.what }}</a>, {{ next.at | moment }}} @else {<span class="quiet">none is planned</span>}</dd>}
            @if (assignment.certificate) {<dt>Certificate</dt><dd>{{ assignment.certificate }}</dd>}
          </dl>
          <p class="row"><a [routerLink]="['/people', view.person.id]">All about {{ view.person.name }}</a></p>
          @if (isOpen() && mayAct()) {<nk-assignment-acts [assignmentIds]="[assignment.assignmentId]" [dueAt]="assignment.dueAt" [canClose]="true" (done)="act($event)" (left)="left.emit()" />}
        } @else {
          <p class="quiet" style="margin-top: 8px">Nobody {{ on() ? 'had' : 'ever' }} asked for it.</p>
          @if (mayAct()) {<p style="margin-top: 8px"><a class="button" routerLink="/assign" [queryParams]="{ course: view.course.id, people: view.person.id }">Assign it</a></p>}
        }
      </section>
    } @else if (sheet.error()) {
      <p class="refusal" role="alert">{{ sheet.error() }}</p>
    }
  `,
  styles: `
    .sheet { border: 1px solid var(--rule); background: var(--sheet); padding: 12px 14px; }
    .row { display: flex; gap: 8px; align-items: baseline; }
    .grow { flex: 1; }
    dl { display: grid; grid-template-columns: 92px 1fr; gap: 4px 8px; margin: 10px 0; }
    dt { color: var(--quiet); }
    dd { margin: 0; }
  `,
})
export class MatrixSheet {
  private readonly api = inject(ReportsApi);
  protected readonly session = inject(SessionStore);
  readonly person = input.required<string>();
  readonly course = input.required<string>();
  readonly left = output<void>();
  readonly acted = output<ActResult>();
  readonly on = input<string>();
  readonly known = input<string>();
  private readonly pair = computed(() => ({
    person: this.person(),
    course: this.course(),
    asOf: paramsOf({ on: this.on(), known: this.known() }),
  }));
  /** what can be done is done now */
  protected readonly mayAct = computed(() => this.session.canChange() && !this.on());
  protected readonly sheet = load(toObservable(this.pair), ({ person, course, asOf }) => this.api.matrixCell(person, course, asOf), [
    'assignments',
    'notices',
    'clock',
  ]);
  protected readonly words = computed(() => {
    const view = this.sheet.data();
    return view?.state ? tellCell(view.state, view.on && tellDate(dayOf(view.on))) : 'never asked';
  });
  protected readonly isOpen = computed(() => isOpenState(this.sheet.data()?.assignment?.state ?? ''));

  protected act(done: ActResult): void {
    this.acted.emit(done);
    this.sheet.reload();
  }
}
