import { ChangeDetectionStrategy, Component, computed, inject, input, output, signal } from '@angular/core';
import { toObservable } from '@angular/core/rxjs-interop';
import { FormsModule } from '@angular/forms';
import { MOST_FILE_BYTES, MOST_HOURS, MOST_TIMES, tellBytes, type TemplateFile } from '@nudrik/core';
import type { Observable } from 'rxjs';
import type { HandoutView } from '@nudrik/contract';
import { PlansApi } from '../plans/plans.api.ts';
import { load } from '../shared/loaded.ts';
import { NumberField } from '../shared/pick/number-field.ts';
import { SelectField, type Choice } from '../shared/pick/select.ts';
import { sentenceOf } from '../shared/refusal.ts';

/** The files that a message brings: in it, or as a download of its reader's own, for so many hours and so often. */
@Component({
  selector: 'nk-message-files',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [FormsModule, NumberField, SelectField],
  template: `
    <fieldset>
      <legend>Files with it</legend>
      @for (file of files(); track file.handout; let i = $index) {
        @let known = handoutOf(file.handout);
        <div class="file" role="group" [attr.aria-label]="known?.name ?? 'A file that is gone'">
          <p>
            <strong>{{ known?.name ?? 'A file that is gone' }}</strong>
            @if (known) {<span class="quiet">{{ bytes(known.bytes) }}@if (known.version > 1) {, put in place {{ known.version - 1 === 1 ? 'once' : known.version - 1 + ' times' }}}</span>}
            <span class="grow"></span>
            @if (known) {<label class="link">Put another in its place<input type="file" class="hidden" (change)="replace(known.id, $event)" /></label>}
            <button type="button" class="link" (click)="take(i)">Take it out</button>
          </p>
          <div class="line">
            <nk-select label="How it goes" [options]="ways" [ngModel]="file.as" (ngModelChange)="put(i, { as: $event })" />
            @if (file.as === 'download') {
              <span class="pair">opens for <nk-number label="Hours" [ngModel]="file.hours" (ngModelChange)="hours(i, $event)" /> hours,</span>
              <nk-select label="How often" [options]="often" [ngModel]="file.times === null ? 'any' : 'some'" (ngModelChange)="put(i, { times: $event === 'any' ? null : 1 })" />
              @if (file.times !== null) {<span class="pair"><nk-number label="Times" [ngModel]="file.times" (ngModelChange)="times(i, $event)" /> {{ file.times === 1 ? 'time' : 'times' }}</span>}
              <label class="pair"><input type="checkbox" [checked]="file.mayAsk" (change)="put(i, { mayAsk: !file.mayAsk })" /> may be asked for anew</label>
            }
          </div>
        </div>
      }
      @if (problem()) {<p class="refusal" role="alert">{{ problem() }}</p>}
      <p class="adds">
        <label class="link" [class.quiet]="files().length === 0">{{ isTaking() ? 'Taking it …' : 'Add a file …' }}<input type="file" class="hidden" [disabled]="isTaking()" (change)="add($event)" /></label>
        @if (others().length) {<nk-select label="A file that is here" placeholder="or one that is here" [options]="others()" [isAct]="true" [ngModel]="null" (ngModelChange)="choose($event)" />}
      </p>
    </fieldset>
  `,
  styles: `
    fieldset { border: 0; border-top: 1px solid var(--rule); margin: 6px 0 10px; padding: 6px 0 0; min-width: 0; }
    legend { padding: 0 8px 0 0; font-family: var(--head); font-weight: 600; }
    p { display: flex; gap: 12px; align-items: baseline; margin: 4px 0; }
    .grow { flex: 1; }
    .line { display: flex; flex-wrap: wrap; gap: 6px 12px; align-items: center; margin: 2px 0 8px; }
    .pair { display: inline-flex; gap: 6px; align-items: center; }
    nk-number { width: 66px; }
    .hidden { position: absolute; opacity: 0; width: 1px; height: 1px; }
    label.link { cursor: pointer; position: relative; }
    label.link:focus-within { outline: 2px solid var(--plum); outline-offset: 2px; }
    .adds { align-items: center; }
  `,
})
export class MessageFiles {
  private readonly api = inject(PlansApi);
  readonly course = input.required<string>();
  readonly files = input.required<readonly TemplateFile[]>();
  readonly changed = output<TemplateFile[]>();
  protected readonly problem = signal<string | null>(null);
  protected readonly isTaking = signal(false);
  protected readonly known = load(toObservable(this.course), (course) => this.api.handouts(course), ['plans']);
  private readonly fresh = signal<readonly HandoutView[]>([]);
  private readonly all = computed(() => new Map([...(this.known.data() ?? []), ...this.fresh()].map((one) => [one.id, one])));
  protected readonly others = computed((): Choice[] => {
    const here = new Set(this.files().map(({ handout }) => handout));
    return [...this.all().values()].filter(({ id }) => !here.has(id)).map(({ id, name, bytes }) => ({ value: id, label: `${name}, ${tellBytes(bytes)}` })); // prettier-ignore
  });
  protected readonly ways: Choice<TemplateFile['as']>[] = [
    { value: 'attached', label: 'in the mail' },
    { value: 'download', label: 'to download' },
  ];
  protected readonly often: Choice<'any' | 'some'>[] = [
    { value: 'any', label: 'as often as they like' },
    { value: 'some', label: 'so often:' },
  ];
  protected readonly bytes = tellBytes;
  protected readonly handoutOf = (id: string): HandoutView | null => this.all().get(id) ?? null;

  protected put(at: number, change: Partial<TemplateFile>): void {
    this.changed.emit(this.files().map((file, i) => (i === at ? { ...file, ...change } : file)));
  }

  protected hours(at: number, hours: number | null): void {
    if (hours !== null && Number.isInteger(hours) && hours >= 1 && hours <= MOST_HOURS) this.put(at, { hours });
  }

  protected times(at: number, times: number | null): void {
    if (times !== null && Number.isInteger(times) && times >= 1 && times <= MOST_TIMES) this.put(at, { times });
  }

  protected take(at: number): void {
    this.changed.emit(this.files().filter((_, i) => i !== at));
  }

  protected choose(handout: string | null): void {
    if (handout) this.changed.emit([...this.files(), { handout, as: 'attached', hours: 24, times: null, mayAsk: true }]);
  }

  protected add(event: Event): void {
    this.upload(event, (file) => this.api.addHandout(this.course(), file), ({ id }) => this.choose(id)); // prettier-ignore
  }

  protected replace(id: string, event: Event): void {
    this.upload(event, (file) => this.api.replaceHandout(id, file), () => this.changed.emit([...this.files()])); // prettier-ignore
  }

  private upload(event: Event, send: (file: File) => Observable<HandoutView>, then: (taken: HandoutView) => void): void {
    const field = event.target as HTMLInputElement;
    const file = field.files?.[0];
    field.value = '';
    this.problem.set(null);
    if (!file) return;
    if (file.size > MOST_FILE_BYTES) {
      this.problem.set(
        `${file.name} has ${tellBytes(file.size)}; a file that goes with a message has ${tellBytes(MOST_FILE_BYTES)} at the most.`,
      );
      return;
    }
    this.isTaking.set(true);
    send(file).subscribe({
      next: (taken) => {
        this.isTaking.set(false);
        this.fresh.set([...this.fresh().filter(({ id }) => id !== taken.id), taken]);
        then(taken);
      },
      error: (error: unknown) => {
        this.isTaking.set(false);
        this.problem.set(sentenceOf(error));
      },
    });
  }
}
