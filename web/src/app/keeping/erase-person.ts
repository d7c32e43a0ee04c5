import { ChangeDetectionStrategy, Component, inject, input, output, signal } from '@angular/core';
import { toObservable } from '@angular/core/rxjs-interop';
import { FormsModule } from '@angular/forms';
import { finalize } from 'rxjs';
import { load } from '../shared/loaded.ts';
import { sentenceOf } from '../shared/refusal.ts';
import { KeepingApi } from './keeping.api.ts';

/** Erases somebody who left: what goes and what stays is seen first, the name is typed once more, and why stands on the record. */
@Component({
  selector: 'nk-erase-person',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [FormsModule],
  template: `
    <form class="mend" aria-label="Erase" (ngSubmit)="erase()">
      @if (preview.error()) {
        <p class="refusal" role="alert">{{ preview.error() }} <button type="button" class="link" (click)="preview.reload()">Try again</button></p>
      } @else if (preview.data(); as it) {
        <p><strong>Erasing {{ it.name }} cannot be undone.</strong> What has to stay is told of {{ it.pseudonym }} from then on.</p>
        @if (it.faults.length > 0) {
          @for (fault of it.faults; track fault) {<p class="soon">{{ fault }}</p>}
        } @else {
          <div class="sides">
            <div>
              <p class="label">Goes, for good</p>
              <ul><li>name, addresses, number, job, and what opens something in their name</li>@for (row of it.goes; track row.what) {<li>{{ row.what }}: <strong>{{ row.count }}</strong></li>}</ul>
            </div>
            <div>
              <p class="label">Stays, under {{ it.pseudonym }}</p>
              <ul>@for (row of it.stays; track row.what) {<li>{{ row.what }}: <strong>{{ row.count }}</strong></li>} @empty {<li>nothing</li>}</ul>
            </div>
          </div>
          @for (note of it.notes; track note) {<p class="quiet small">{{ note }}</p>}
          <label class="field"><span>Why, for the record</span><input class="input" name="reason" maxlength="400" [(ngModel)]="reason" /></label>
          <label class="field"><span>Type {{ it.name }} once more</span><input class="input" name="name" autocomplete="off" [ngModel]="name()" (ngModelChange)="name.set($event)" /></label>
        }
        @if (problem()) {<p class="refusal" role="alert">{{ problem() }}</p>}
        <div class="gap">
          @if (it.faults.length === 0) {<button class="button filled" [disabled]="isBusy() || name().trim() !== it.name">{{ isBusy() ? 'Erasing …' : 'Erase for good' }}</button>}
          <button type="button" class="link" (click)="left.emit()">{{ it.faults.length === 0 ? 'Leave it' : 'Close' }}</button>
        </div>
      } @else {
        <p class="loading">Looking where they are named …</p>
      }
    </form>
  `,
  styles: `
    .mend { margin: 12px 0; padding: 12px; border: 1px solid var(--rule); }
    .sides { display: grid; grid-template-columns: minmax(0, 1fr) minmax(0, 1fr); gap: 0 16px; margin: 8px 0; }
    ul { margin: 0; padding-left: 16px; font-size: 13px; }
    .small { font-size: 12.5px; margin: 4px 0; }
  `,
}) // prettier-ignore
export class ErasePerson {
  private readonly api = inject(KeepingApi);
  readonly id = input.required<string>();
  readonly left = output<void>();
  readonly erased = output<void>();
  protected readonly preview = load(toObservable(this.id), (id) => this.api.erasing(id));
  protected readonly problem = signal<string | null>(null);
  protected readonly isBusy = signal(false);
  protected readonly name = signal('');
  protected reason = '';

  protected erase(): void {
    if (this.isBusy()) return;
    this.isBusy.set(true);
    this.problem.set(null);
    this.api
      .erase(this.id(), { name: this.name(), reason: this.reason })
      .pipe(finalize(() => this.isBusy.set(false)))
      .subscribe({ next: () => this.erased.emit(), error: (error: unknown) => this.problem.set(sentenceOf(error)) });
  }
}
