import { ChangeDetectionStrategy, Component, computed, inject, input, output, signal } from '@angular/core';
import { toObservable } from '@angular/core/rxjs-interop';
import { FormsModule } from '@angular/forms';
import type { PlanStepView } from '@nudrik/contract';
import { BEGINNINGS, tellAmount, templateFault, type TemplateFile } from '@nudrik/core';
import { Dialog } from 'primeng/dialog';
import { debounceTime } from 'rxjs';
import { PlansApi } from '../plans/plans.api.ts';
import { load } from '../shared/loaded.ts';
import { sentenceOf } from '../shared/refusal.ts';
import { SelectField, type Choice } from '../shared/pick/select.ts';
import { Letter } from './letter.ts';
import { textsOf } from './library.ts';
import { MessageFiles } from './message-files.ts';
import { TemplateEdit } from './template-edit.ts';
import type { PartChoices } from './text-editor.ts';

/** Writes the message of a step, with what its real readers would have of it beside: those in trouble first. */
@Component({
  selector: 'nk-message-writer',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [Dialog, FormsModule, Letter, MessageFiles, SelectField, TemplateEdit],
  templateUrl: './message-writer.html',
  styleUrl: './message-writer.css',
})
export class MessageWriter {
  private readonly api = inject(PlansApi);
  readonly course = input.required<string>();
  readonly step = input.required<PlanStepView>();
  /** somebody who may not write it looks how it is read */
  readonly isReadOnly = input(false);
  readonly parts = input<PartChoices | null>(null);
  readonly changed = output<PlanStepView['message']>();
  readonly left = output();
  protected readonly reading = signal<string | null>(null);
  protected readonly isSending = signal(false);
  protected readonly said = signal<{ words: string; isAccepted: boolean } | null>(null);
  private readonly asked = computed(() => ({ course: this.course(), step: this.step(), as: this.reading() }));
  protected readonly view = load(
    toObservable(this.asked).pipe(debounceTime(250)),
    ({ course, step, as }) => this.api.letter(course, step, as),
    ['people', 'notices'],
  );
  /** what is wrong with the text is said at once */
  protected readonly fault = computed(() => templateFault(this.step().message) ?? this.view.data()?.fault ?? null);
  protected readonly letter = computed(() => this.view.data()?.letter ?? null);
  protected readonly readers = computed(() => this.view.data()?.readers ?? []);
  protected readonly choices = computed((): Choice[] =>
    this.readers().map(({ key, employee, to, troubles }) => ({
      value: key,
      label: `${to ?? 'nobody'}${to !== employee ? `, about ${employee}` : ''}${troubles.length ? ' ▲' : ''}`,
    })),
  );
  protected readonly at = computed(() =>
    Math.max(
      0,
      this.readers().findIndex(({ key }) => key === this.letter()?.reader.key),
    ),
  );
  protected readonly troubleWords = computed(() => {
    const view = this.view.data();
    if (!view || view.count === 0) return '';
    if (view.isInvented) return 'Nobody has this course open: told as if these had been assigned it now.';
    const of = `${tellAmount(view.count, 'people')}`;
    return view.inTrouble === 0 ? `${of} would read it, none of them in trouble.` : `${view.inTrouble} of ${of} in trouble, those first.`;
  });

  protected turn(by: number): void {
    const list = this.readers();
    if (list.length > 0) this.reading.set(list[(this.at() + by + list.length) % list.length]!.key);
  }

  /** the text that was there before another was taken in its place */
  protected readonly mine = signal<PlanStepView['message'] | null>(null);
  protected readonly wantsTexts = signal(false);
  private readonly asksTexts = computed(() => this.wantsTexts() || null);
  private readonly library = load(toObservable(this.asksTexts), () => this.api.messages());
  private readonly others = computed(() => [
    ...BEGINNINGS.map((one) => ({ label: one.words, group: 'As Nudrik ships them', message: one.make('of-text').message as PlanStepView['message'] })),
    ...textsOf(this.library.data() ?? []).map(({ message, uses }) => ({ label: `${uses[0]!.step.name}: ${message.subject}`, group: uses[0]!.course.title, message })),
  ]); // prettier-ignore
  protected readonly texts = computed((): Choice<number>[] => this.others().map(({ label, group }, value) => ({ value, label, group })));

  protected take(at: number | null): void {
    const other = at === null ? undefined : this.others()[at];
    if (!other) return;
    this.mine.set(this.step().message);
    this.changed.emit(structuredClone(other.message));
  }

  protected takeBack(): void {
    this.changed.emit(this.mine()!);
    this.mine.set(null);
  }

  protected setFiles(files: TemplateFile[]): void {
    const { files: _, ...message } = this.step().message;
    this.changed.emit(files.length > 0 ? { ...message, files } : message);
  }

  protected sendTest(): void {
    this.isSending.set(true);
    this.said.set(null);
    this.api.testLetter(this.course(), this.step(), this.letter()?.reader.key ?? null).subscribe({
      next: (said) => {
        this.isSending.set(false);
        this.said.set(said);
      },
      error: (error: unknown) => {
        this.isSending.set(false);
        this.said.set({ words: sentenceOf(error), isAccepted: false });
      },
    });
  }
}
