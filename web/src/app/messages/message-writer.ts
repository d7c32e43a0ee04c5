import { ChangeDetectionStrategy, Component, computed, inject, input, output, signal } from '@angular/core';
import { toObservable } from '@angular/core/rxjs-interop';
import { FormsModule } from '@angular/forms';
import type { PlanStepView } from '@nudrik/contract';
import { BEGINNINGS, LANGUAGE_TAGS, languagesOf, tellAmount, tellLanguage, tellList, templateFault, textIn, withoutText, withWording, type Language, type TemplateFile } from '@nudrik/core'; // prettier-ignore
import { Dialog } from 'primeng/dialog';
import { debounceTime } from 'rxjs';
import { PlansApi } from '../plans/plans.api.ts';
import { load } from '../shared/loaded.ts';
import { sentenceOf } from '../shared/refusal.ts';
import { SelectField, type Choice } from '../shared/pick/select.ts';
import { Letter } from './letter.ts';
import { textsOf as libraryTexts } from './library.ts';
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
  /** the language that is written in; null is the first text, the house's */
  protected readonly language = signal<Language | null>(null);
  private readonly asked = computed(() => ({ course: this.course(), step: this.step(), as: this.reading(), language: this.language() }));
  protected readonly view = load(
    toObservable(this.asked).pipe(debounceTime(250)),
    ({ course, step, as, language }) => this.api.letter(course, step, as, language),
    ['people', 'notices', 'plans'],
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
    ...libraryTexts(this.library.data() ?? []).map(({ message, uses }) => ({ label: `${uses[0]!.step.name}: ${message.subject}`, group: uses[0]!.course.title, message })),
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

  protected readonly nameOf = tellLanguage;
  protected readonly written = computed(() => languagesOf(this.step().message));
  protected readonly wording = computed(() => textIn(this.step().message, this.language()));
  protected readonly unwritten = computed((): Choice<Language>[] => {
    const taken = new Set<string>([...this.written(), this.view.data()?.language ?? '']);
    return LANGUAGE_TAGS.filter((tag) => !taken.has(tag)).map((value) => ({ value, label: tellLanguage(value) }));
  });
  /** those whose language it has no text in */
  protected readonly unread = computed(() => {
    const view = this.view.data();
    const lacking = view?.languages.filter(({ isWritten, count }) => !isWritten && count > 0) ?? [];
    if (!view || lacking.length === 0) return null;
    const count = lacking.reduce((sum, one) => sum + one.count, 0);
    return `${tellAmount(count, 'people')} read${count === 1 ? 's' : ''} in ${tellList(lacking.map(({ name }) => name))}, and would get the ${tellLanguage(view.language)} text.`;
  });

  protected readersOf(tag: string): string {
    const count = this.view.data()?.languages.find((one) => one.tag === tag)?.count ?? 0;
    return count === 0 ? `Nobody who would read it reads in ${tellLanguage(tag)}.` : `${tellAmount(count, 'people')} would get this text.`;
  }

  /** Goes to the text of a language, and to somebody who reads it. */
  protected write(language: Language | null): void {
    this.language.set(language);
    const tag = language ?? this.view.data()?.language;
    if (this.letter()?.reader.language === tag) return;
    const reader = this.readers().find((one) => one.language === tag);
    if (reader) this.reading.set(reader.key);
  }

  /** A text in another language begins as the one that is shown: what is translated word by word loses no field. */
  protected begin(language: Language | null): void {
    if (!language) return;
    const { subject, body, button } = this.wording();
    const { message } = this.step();
    this.changed.emit({ ...message, texts: { ...message.texts, [language]: { subject, body, button } } });
    this.language.set(language);
  }

  protected leave(language: Language): void {
    this.language.set(null);
    this.changed.emit(withoutText(this.step().message, language));
  }

  protected put(message: PlanStepView['message']): void {
    this.changed.emit(withWording(this.step().message, this.language(), message));
  }

  protected setFiles(files: TemplateFile[]): void {
    const { files: _, ...message } = this.step().message;
    this.changed.emit(files.length > 0 ? { ...message, files } : message);
  }

  protected sendTest(): void {
    this.isSending.set(true);
    this.said.set(null);
    this.api.testLetter(this.course(), this.step(), this.letter()?.reader.key ?? null, this.language()).subscribe({
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
