import { NgTemplateOutlet } from '@angular/common';
import { ChangeDetectionStrategy, Component, computed, inject, input, signal } from '@angular/core';
import { toObservable } from '@angular/core/rxjs-interop';
import { FormsModule } from '@angular/forms';
import type { AskedQuestion, AskedView } from '@nudrik/contract';
import { oneLine, tellAmount, type ShownTo } from '@nudrik/core';
import type { Observable } from 'rxjs';
import { newKey } from '../shared/key.ts';
import { load } from '../shared/loaded.ts';
import { MomentPipe } from '../shared/moment.pipe.ts';
import { sentenceOf } from '../shared/refusal.ts';
import { AskedApi } from './asked.api.ts';

/** What is asked on the page of a course, and what was answered: to whoever takes care, or so that everybody on the course reads it. */
@Component({
  selector: 'nk-asked',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [FormsModule, MomentPipe, NgTemplateOutlet],
  templateUrl: './asked.html',
  styleUrl: './asked.css',
})
export class Asked {
  private readonly api = inject(AskedApi);
  readonly token = input.required<string>();
  readonly zone = input.required<string>();
  /** the unit that is open */
  readonly unit = input<{ id: string; title: string } | null>(null);
  protected readonly view = load(toObservable(this.token), (token) => this.api.find(token, null), ['conversations']);
  /** what is written: a question, or a word to the question of this id; null where nothing is */
  protected readonly writing = signal<string | null>(null);
  protected readonly words = signal('');
  protected readonly to = signal<ShownTo>('person');
  protected readonly isBusy = signal(false);
  protected readonly problem = signal<string | null>(null);
  protected readonly sent = signal<string | null>(null);
  /** what others asked before that, as far as it was called for */
  private readonly further = signal<readonly AskedQuestion[]>([]);
  private readonly hasFurther = signal<boolean | null>(null);
  /** once each: one that was written to meanwhile comes first again */
  protected readonly others = computed(() => {
    const first = this.view.data()?.others ?? [];
    return [...first, ...this.further().filter(({ id }) => !first.some((one) => one.id === id))];
  });
  protected readonly hasMore = computed(() => this.hasFurther() ?? this.view.data()?.hasMore ?? false);
  /** what was sent last, and by which key: the same once more is one word, and anything else is another */
  private tried = { what: '', key: newKey() };

  protected begin(what: string): void {
    if (this.writing() === what) return;
    this.writing.set(what);
    this.words.set('');
    this.to.set('person');
    this.problem.set(null);
    this.sent.set(null);
    this.tried = { what: '', key: newKey() };
    setTimeout(() => document.querySelector<HTMLElement>('nk-asked textarea')?.focus());
  }

  protected leave(): void {
    this.writing.set(null);
    this.problem.set(null);
  }

  protected send(question: AskedQuestion | null): void {
    const words = this.words().trim();
    if (words === '') return;
    const to = question ? (question.isShared ? 'course' : 'person') : this.to();
    const what = JSON.stringify([words, to]);
    if (this.tried.what !== what) this.tried = { what, key: newKey() };
    const { key } = this.tried;
    this.act(
      question
        ? this.api.writeOn(this.token(), question.id, { words, to, key })
        : this.api.ask(this.token(), { words, to, unit: this.unit()?.id ?? null, key }),
      question !== null && !question.isMine,
    );
  }

  private act(what: Observable<AskedView>, isOther: boolean): void {
    this.isBusy.set(true);
    this.problem.set(null);
    what.subscribe({
      next: ({ reader, hasMail }) => {
        this.isBusy.set(false);
        this.writing.set(null);
        this.words.set('');
        this.further.set([]);
        this.hasFurther.set(null);
        this.sent.set(
          isOther ? 'It stands there now.' : `Sent to ${reader}. The answer stands here${hasMail ? ', and comes by mail' : ''}.`,
        );
        this.view.reload();
      },
      error: (error: unknown) => {
        this.isBusy.set(false);
        this.problem.set(sentenceOf(error));
        this.view.reload();
      },
    });
  }

  protected more(): void {
    const last = this.others().at(-1);
    if (!last) return;
    this.isBusy.set(true);
    this.api.find(this.token(), last.id).subscribe({
      next: ({ others, hasMore }) => {
        this.isBusy.set(false);
        this.further.update((list) => [...list, ...others.filter(({ id }) => !list.some((one) => one.id === id))]);
        this.hasFurther.set(hasMore);
      },
      error: (error: unknown) => {
        this.isBusy.set(false);
        this.problem.set(sentenceOf(error));
      },
    });
  }

  /** "How far is the muster station? 2 answers" */
  protected headOf({ words }: AskedQuestion): string {
    return oneLine(words[0]?.words ?? '', 120);
  }

  protected readonly filesOf = (count: number): string => (count === 1 ? 'One file went with it, by mail.' : `${tellAmount(count, 'files')} went with it, by mail.`); // prettier-ignore

  protected answersOf({ words }: AskedQuestion): string {
    const answers = words.length - 1;
    return answers <= 0 ? 'no answer yet' : tellAmount(answers, 'answers');
  }
}
