import { ChangeDetectionStrategy, Component, computed, inject, input, output, signal } from '@angular/core';
import { toObservable } from '@angular/core/rxjs-interop';
import { FormsModule } from '@angular/forms';
import { RouterLink } from '@angular/router';
import type { PlanView } from '@nudrik/contract';
import { tellAmount, tellList, tellSteps, type Names, type PlanStep } from '@nudrik/core';
import { Dialog } from 'primeng/dialog';
import { load } from '../shared/loaded.ts';
import { SelectField, type Choice } from '../shared/pick/select.ts';
import { sentenceOf } from '../shared/refusal.ts';
import { differences } from '../shared/work-in-hand.ts';
import { PlansApi } from './plans.api.ts';

/** Whose plan this course goes by, who goes by this one, and the way to share one or to have one's own again. */
@Component({
  selector: 'nk-plan-shared',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [Dialog, FormsModule, RouterLink, SelectField],
  template: `
    @if (plan().follows; as followed) {
      <p class="notice" role="status">
        This course goes by the plan of <a [routerLink]="['/plans', followed.id]">{{ followed.title }}</a>: what is published there is published here too.
        @if (canChange()) {&ngsp;<button class="link" (click)="follow(null)" [disabled]="isBusy()">Give it a plan of its own</button>}
      </p>
    } @else if (plan().followers.length) {
      <p class="notice" role="status">{{ followersWords() }} by this plan: what is published here is published there too.</p>
    } @else if (canChange()) {
      <button class="link quiet" (click)="isChoosing.set(true)">Go by the plan of another course …</button>
    }
    @if (problem() && !isChoosing()) {
      <p class="refusal" role="alert">{{ problem() }}</p>
    }
    @if (isChoosing()) {
      <p-dialog header="Go by the plan of another course" [visible]="true" (visibleChange)="$event || leave()" [modal]="true" [draggable]="false" [style]="{ width: '900px', maxWidth: '96vw' }">
        <div class="field"><span>Whose plan</span><nk-select class="wide" label="Whose plan" placeholder="choose a course" [options]="choices()" [ngModel]="chosen()" (ngModelChange)="chosen.set($event)" /></div>
        @if (other.data(); as theirs) {
          @if (changes().length) {
            <p class="quiet">What would be otherwise here, for {{ openWords() }}; what was sent stays sent.</p>
            <div class="changes">
              <table class="list">
                <thead><tr><th>Step</th><th>Its own plan</th><th>{{ theirs.course.title }}</th></tr></thead>
                <tbody>
                  @for (line of changes(); track line.what) {<tr><th scope="row">{{ line.what }}</th><td>{{ line.mine }}</td><td>{{ line.theirs }}</td></tr>}
                </tbody>
              </table>
            </div>
          } @else {
            <p>Both say the same; from now on they stay so.</p>
          }
        } @else if (other.error()) {
          <p class="refusal" role="alert">{{ other.error() }}</p>
        }
        @if (problem()) {
          <p class="refusal" role="alert">{{ problem() }}</p>
        }
        <ng-template #footer>
          <button class="link" (click)="leave()">Leave it</button>
          <button class="button filled" [disabled]="!other.data() || isBusy()" (click)="follow(chosen())">Go by that plan</button>
        </ng-template>
      </p-dialog>
    }
  `,
  styles: `
    :host { display: block; }
    .changes { max-height: 50vh; overflow: auto; padding: 0 8px; }
    td { white-space: pre-line; width: 42%; }
    th[scope='row'] { font-weight: 600; color: var(--ink); white-space: normal; vertical-align: top; padding-top: 6px; }
  `,
})
export class PlanShared {
  private readonly api = inject(PlansApi);
  readonly plan = input.required<PlanView>();
  readonly names = input.required<Names>();
  readonly canChange = input(false);
  readonly changed = output();
  protected readonly isChoosing = signal(false);
  protected readonly isBusy = signal(false);
  protected readonly chosen = signal<string | null>(null);
  protected readonly problem = signal<string | null>(null);
  private readonly wanted = computed(() => (this.isChoosing() ? true : null));
  private readonly plans = load(toObservable(this.wanted), () => this.api.list());
  protected readonly choices = computed((): Choice[] =>
    (this.plans.data() ?? [])
      .filter(({ course, follows }) => course.id !== this.plan().course.id && follows === null)
      .map(({ course }) => ({ value: course.id, label: course.title })),
  );
  protected readonly other = load(toObservable(this.chosen), (id) => this.api.get(id));
  protected readonly changes = computed(() => {
    const theirs = this.other.data();
    return theirs
      ? differences(tellSteps(this.plan().steps as PlanStep[], this.names()), tellSteps(theirs.steps as PlanStep[], this.names()))
      : [];
  });
  protected readonly openWords = computed(() => tellAmount(this.plan().open, 'open assignments'));
  protected readonly followersWords = computed(() => {
    const { followers } = this.plan();
    const names = tellList(followers.map(({ title, open }) => `${title} (${open} open)`));
    return `${names} ${followers.length === 1 ? 'goes' : 'go'}`;
  });

  protected leave(): void {
    this.isChoosing.set(false);
    this.chosen.set(null);
    this.problem.set(null);
  }

  protected follow(course: string | null): void {
    this.isBusy.set(true);
    this.problem.set(null);
    this.api.follow(this.plan().course.id, course).subscribe({
      next: () => {
        this.isBusy.set(false);
        this.leave();
        this.changed.emit();
      },
      error: (error: unknown) => {
        this.isBusy.set(false);
        this.problem.set(sentenceOf(error));
      },
    });
  }
}
