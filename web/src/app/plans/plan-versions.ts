import { ChangeDetectionStrategy, Component, computed, inject, input, output, signal } from '@angular/core';
import { toObservable } from '@angular/core/rxjs-interop';
import type { PlanStepView } from '@nudrik/contract';
import { tellSteps, type Names, type PlanStep } from '@nudrik/core';
import { Dialog } from 'primeng/dialog';
import { of } from 'rxjs';
import { load } from '../shared/loaded.ts';
import { MomentPipe } from '../shared/moment.pipe.ts';
import { differences } from '../shared/work-in-hand.ts';
import { PlansApi } from './plans.api.ts';

/** The versions of a plan: each beside what is in hand now, and brought back as a draft. */
@Component({
  selector: 'nk-plan-versions',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [Dialog, MomentPipe],
  template: `
    <p-dialog header="Versions of this plan" [visible]="true" (visibleChange)="$event || left.emit()" [modal]="true" [draggable]="false" [style]="{ width: '1060px', maxWidth: '96vw' }">
      @if (list.error(); as words) {
        <p class="refusal" role="alert">{{ words }}</p>
      }
      <div class="two">
        <div class="list" role="listbox" aria-label="Versions">
          @for (one of list.data() ?? []; track one.version) {
            <button role="option" [attr.aria-selected]="one.version === chosen()" [class.chosen]="one.version === chosen()" (click)="picked.set(one.version)">
              <strong>Version {{ one.version }}</strong> <span class="quiet">{{ one.publishedAt | moment: 'date' }}@if (one.publishedBy) {, {{ one.publishedBy }}}</span>
              <span class="note">{{ one.note ?? '' }}</span>
              <span class="quiet small">{{ one.on }} of {{ one.steps }} steps on</span>
            </button>
          } @empty {
            <p class="quiet">{{ list.isLoading() ? 'Looking them up …' : 'None was published yet.' }}</p>
          }
        </div>
        <div>
          @if (steps.error(); as words) {
            <p class="refusal" role="alert">{{ words }}</p>
          } @else if (changes(); as found) {
            @if (found.length) {
              <div class="changes">
                <table class="list">
                  <thead><tr><th>Step</th><th>Version {{ chosen() }}</th><th>In hand now</th></tr></thead>
                  <tbody>
                    @for (line of found; track line.what) {
                      <tr><th scope="row">{{ line.what }}</th><td>{{ line.mine }}</td><td>{{ line.theirs }}</td></tr>
                    }
                  </tbody>
                </table>
              </div>
            } @else {
              <p class="quiet">It says the same as what is in hand now.</p>
            }
          }
        </div>
      </div>
      <ng-template #footer>
        <button class="link" (click)="left.emit()">Close</button>
        @if (canChange()) {
          <button class="button filled" (click)="brought.emit(steps.data()!)" [disabled]="!changes()?.length">Bring version {{ chosen() }} back as a draft</button>
        }
      </ng-template>
    </p-dialog>
  `,
  styles: `
    .two { display: grid; grid-template-columns: 280px minmax(0, 1fr); gap: 24px; }
    div.list { max-height: 60vh; overflow: auto; }
    div.list button { display: grid; width: 100%; gap: 1px; padding: 7px 10px; border: 0; border-bottom: 1px solid var(--rule); background: none; text-align: left; cursor: pointer; }
    div.list button.chosen { background: var(--plum-wash); }
    .note { font-style: italic; }
    .small { font-size: 12.5px; }
    .changes { max-height: 60vh; overflow: auto; padding: 0 8px; }
    td { white-space: pre-line; width: 42%; }
    th[scope='row'] { font-weight: 600; color: var(--ink); white-space: normal; vertical-align: top; padding-top: 6px; }
  `,
})
export class PlanVersions {
  private readonly api = inject(PlansApi);
  readonly course = input.required<string>();
  /** what is in hand now */
  readonly now = input.required<readonly PlanStepView[]>();
  readonly names = input.required<Names>();
  readonly canChange = input(false);
  readonly brought = output<PlanStepView[]>();
  readonly left = output<void>();
  protected readonly list = load(toObservable(this.course), (id) => this.api.versions(id), ['plans']);
  protected readonly picked = signal<number | null>(null);
  /** the one before the newest, where somebody has not chosen: that is what one looks for */
  protected readonly chosen = computed(
    () => this.picked() ?? (this.list.data() ?? [])[1]?.version ?? this.list.data()?.[0]?.version ?? null,
  );
  private readonly asked = computed(() => (this.chosen() === null ? null : { course: this.course(), version: this.chosen()! }));
  protected readonly steps = load(toObservable(this.asked), (asked) => (asked ? this.api.version(asked.course, asked.version) : of([])));
  protected readonly changes = computed(() => {
    const steps = this.steps.data();
    return steps && differences(tellSteps(steps as PlanStep[], this.names()), tellSteps(this.now() as readonly PlanStep[], this.names()));
  });
}
