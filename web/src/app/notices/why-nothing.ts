import { ChangeDetectionStrategy, Component, computed, inject, input, output, signal } from '@angular/core';
import { toObservable } from '@angular/core/rxjs-interop';
import { FormsModule } from '@angular/forms';
import { Dialog } from 'primeng/dialog';
import { PersonPick } from '../people/person-pick.ts';
import { PeopleApi } from '../people/people.api.ts';
import { PlansApi } from '../plans/plans.api.ts';
import { load } from '../shared/loaded.ts';
import { SelectField, type Choice } from '../shared/pick/select.ts';

/** Asks why somebody heard nothing, of any step of any course that they have or had: also where no notice was ever made. */
@Component({
  selector: 'nk-why-nothing',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [Dialog, FormsModule, PersonPick, SelectField],
  template: `
    <p-dialog header="Why was nothing sent?" [visible]="true" (visibleChange)="$event || left.emit()" [modal]="true" [draggable]="false" [style]="{ width: '480px', maxWidth: '96vw' }">
      <div class="field"><span class="label">Person</span><nk-person-pick label="Person" [current]="person()?.name ?? null" (picked)="person.set($event); assignment.set(null); step.set(null)" /></div>
      @if (person(); as who) {
        @if (sheet.data()) {
          @if (assignments().length) {
            <div class="field"><span>Course</span><nk-select class="wide" label="Course" placeholder="choose one" [options]="assignments()" [ngModel]="assignment()" (ngModelChange)="assignment.set($event); step.set(null)" /></div>
          } @else {
            <p class="notice">{{ who.name }} has no course, and never had one: no step of any plan is about them.</p>
          }
        } @else if (sheet.error()) {
          <p class="refusal" role="alert">{{ sheet.error() }}</p>
        }
      }
      @if (plan.data()) {
        <div class="field"><span>Step</span><nk-select class="wide" label="Step" placeholder="choose one" [options]="steps()" [ngModel]="step()" (ngModelChange)="step.set($event)" /></div>
      }
      <ng-template #footer>
        <button class="link" (click)="left.emit()">Leave it</button>
        <button class="button filled" [disabled]="!assignment() || !step()" (click)="asked.emit({ assignment: assignment()!, step: step()! })">Say why</button>
      </ng-template>
    </p-dialog>
  `,
})
export class WhyNothing {
  private readonly people = inject(PeopleApi);
  private readonly plans = inject(PlansApi);
  readonly courses = input<readonly { id: string; title: string }[]>([]);
  readonly asked = output<{ assignment: string; step: string }>();
  readonly left = output();
  protected readonly person = signal<{ id: string; name: string } | null>(null);
  protected readonly assignment = signal<string | null>(null);
  protected readonly step = signal<string | null>(null);
  protected readonly sheet = load(toObservable(computed(() => this.person()?.id ?? null)), (id) => this.people.person(id));
  private readonly lines = computed(() => this.sheet.data()?.assignments ?? []);
  protected readonly assignments = computed((): Choice[] =>
    this.lines().map(({ id, course, round }) => ({ value: id, label: round > 1 ? `${course.title}, round ${round}` : course.title })),
  );
  protected readonly plan = load(
    toObservable(computed(() => this.lines().find(({ id }) => id === this.assignment())?.course.id ?? null)),
    (course) => this.plans.get(course),
  );
  protected readonly steps = computed((): Choice[] => (this.plan.data()?.steps ?? []).map(({ id, name }) => ({ value: id, label: name })));
}
