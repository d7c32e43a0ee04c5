import { ChangeDetectionStrategy, Component, computed, input, output, signal } from '@angular/core';
import { FormsModule } from '@angular/forms';
import type { Remark } from '@nudrik/contract';
import { MomentPipe } from '../shared/moment.pipe.ts';

/** Remarks on a course: those on what is open first, ticked off by who writes the course; and a place for one more. */
@Component({
  selector: 'nk-remarks',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [FormsModule, MomentPipe],
  template: `
    @for (remark of shown(); track remark.id) {
      <div class="remark" [class.done]="remark.doneBy">
        @if (canTick()) {
          <input type="checkbox" [checked]="remark.doneBy !== null" (change)="ticked.emit({ id: remark.id, isDone: $any($event.target).checked })" [attr.aria-label]="'Ticked off: ' + remark.text" />
        }
        <div>
          <p class="text">{{ remark.text }}</p>
          <p class="quiet about">{{ remark.by }}, {{ remark.at | moment }}@if (unit() === null && remark.unitId) {, on “{{ titleOf()(remark.unitId) }}”}@if (remark.doneBy) {, ticked off by {{ remark.doneBy }}}</p>
        </div>
      </div>
    } @empty {
      <p class="quiet">{{ unit() === null ? 'No remarks yet.' : 'No remarks on this unit yet.' }}</p>
    }
    <form (ngSubmit)="send()">
      <label class="field"><span>{{ unit() === null ? 'A remark on the course' : 'A remark on “' + titleOf()(unit()!) + '”' }}</span>
        <textarea class="input" name="text" rows="3" maxlength="2000" [ngModel]="text()" (ngModelChange)="text.set($event)"></textarea>
      </label>
      <button class="button small" type="submit" [disabled]="text().trim() === '' || isBusy()">Leave it</button>
    </form>
  `,
  styles: `
    .remark { display: flex; gap: 10px; padding: 8px 0; border-bottom: 1px solid var(--rule); }
    .remark input { accent-color: var(--plum); margin-top: 4px; }
    .remark.done .text { color: var(--quiet); text-decoration: line-through; }
    .text { white-space: pre-wrap; overflow-wrap: anywhere; }
    .about { font-size: 13px; }
    form { margin-top: 10px; }
  `,
})
export class Remarks {
  readonly remarks = input.required<readonly Remark[]>();
  /** the unit that is open; null shows all */
  readonly unit = input<string | null>(null);
  readonly titleOf = input.required<(unit: string) => string>();
  readonly canTick = input(false);
  readonly isBusy = input(false);
  readonly left = output<string>();
  readonly ticked = output<{ id: string; isDone: boolean }>();
  protected readonly text = signal('');
  protected readonly shown = computed(() => this.remarks().filter(({ unitId }) => this.unit() === null || unitId === this.unit()));

  protected send(): void {
    const text = this.text().trim();
    if (text === '') return;
    this.left.emit(text);
    this.text.set('');
  }
}
