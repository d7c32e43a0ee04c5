import { ChangeDetectionStrategy, Component, computed, inject, input, output, signal } from '@angular/core';
import type { PlanFileTaken, PlanStepView } from '@nudrik/contract';
import { tellSteps, type Names, type PlanStep } from '@nudrik/core';
import { Dialog } from 'primeng/dialog';
import { sentenceOf } from '../shared/refusal.ts';
import { differences } from '../shared/work-in-hand.ts';
import { PlansApi } from './plans.api.ts';

/** Takes the steps of a file: first they stand beside what is in hand, then they become the draft. */
@Component({
  selector: 'nk-plan-file',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [Dialog],
  template: `
    <p-dialog header="Take a plan from a file" [visible]="true" (visibleChange)="$event || left.emit()" [modal]="true" [draggable]="false" [style]="{ width: '900px', maxWidth: '96vw' }">
      <label class="field"><span>A plan that was saved as a file, JSON</span><input type="file" accept=".json,application/json" (change)="read($event)" /></label>
      @if (problem()) {
        <p class="refusal" role="alert">{{ problem() }}</p>
      }
      @if (taken(); as file) {
        <p class="quiet">Written for {{ file.course }}, {{ file.steps.length }} steps.</p>
        @if (changes().length) {
          <div class="changes">
            <table class="list">
              <thead><tr><th>Step</th><th>In hand now</th><th>In the file</th></tr></thead>
              <tbody>
                @for (line of changes(); track line.what) {
                  <tr><th scope="row">{{ line.what }}</th><td>{{ line.mine }}</td><td>{{ line.theirs }}</td></tr>
                }
              </tbody>
            </table>
          </div>
        } @else {
          <p>The file says the same as what is in hand now.</p>
        }
      }
      <ng-template #footer>
        <button class="link" (click)="left.emit()">Leave it</button>
        <button class="button filled" [disabled]="!changes().length" (click)="took.emit(taken()!.steps)">Take it as the draft</button>
      </ng-template>
    </p-dialog>
  `,
  styles: `
    .changes { max-height: 56vh; overflow: auto; padding: 0 8px; }
    td { white-space: pre-line; width: 42%; }
    th[scope='row'] { font-weight: 600; color: var(--ink); white-space: normal; vertical-align: top; padding-top: 6px; }
  `,
})
export class PlanFilePart {
  private readonly api = inject(PlansApi);
  readonly course = input.required<string>();
  readonly now = input.required<readonly PlanStepView[]>();
  readonly names = input.required<Names>();
  readonly took = output<PlanStepView[]>();
  readonly left = output();
  protected readonly taken = signal<PlanFileTaken | null>(null);
  protected readonly problem = signal<string | null>(null);
  protected readonly changes = computed(() => {
    const file = this.taken();
    return file
      ? differences(tellSteps(this.now() as readonly PlanStep[], this.names()), tellSteps(file.steps as PlanStep[], this.names()))
      : [];
  });

  protected async read(event: Event): Promise<void> {
    const input = event.target as HTMLInputElement;
    const file = input.files?.[0];
    if (!file) return;
    this.problem.set(null);
    this.taken.set(null);
    const text = await file.text();
    input.value = ''; // the same file may be chosen again when it was mended
    this.api.readFile(this.course(), text).subscribe({
      next: (taken) => this.taken.set(taken),
      error: (error: unknown) => this.problem.set(`${file.name}: ${sentenceOf(error)}`),
    });
  }
}
