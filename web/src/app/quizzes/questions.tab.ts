import { CdkDrag, CdkDragHandle, CdkDropList, moveItemInArray, type CdkDragDrop } from '@angular/cdk/drag-drop';
import { ChangeDetectionStrategy, Component, computed, inject, input, signal } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { RouterLink } from '@angular/router';
import { NEW_QUIZ, newQuestion, QUESTION_KINDS, questionFault, questionWords, readQuestions, tellQuestion, tellQuiz, type Question, type QuestionKind, type Quiz } from '@nudrik/core'; // prettier-ignore
import { CourseStore } from '../courses/course.store.ts';
import { RolesPick } from '../people/roles-pick.ts';
import { NumberField } from '../shared/pick/number-field.ts';
import { SelectField, type Choice } from '../shared/pick/select.ts';
import { sentenceOf } from '../shared/refusal.ts';
import { QuestionForm } from './question-form.ts';
import { QuizzesApi } from './quizzes.api.ts';

let last = 0;
const newId = (): string => `q${Date.now().toString(36)}${(++last).toString(36)}`;

/** The questions of a quiz: a list that is written by keys and by pasting, one question beside it, and how the quiz is taken. */
@Component({
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [FormsModule, RouterLink, CdkDropList, CdkDrag, CdkDragHandle, NumberField, QuestionForm, RolesPick, SelectField],
  templateUrl: './questions.tab.html',
  styleUrl: './questions.tab.css',
})
export class QuestionsTab {
  protected readonly store = inject(CourseStore);
  readonly unit = input.required<string>();
  protected readonly form = computed(() => this.store.units().find(({ id }) => id === this.unit()) ?? null);
  protected readonly quiz = computed((): Quiz => this.form()?.quiz ?? NEW_QUIZ);
  protected readonly chosen = signal<string | null>(null);
  protected readonly question = computed(() => this.quiz().questions.find(({ id }) => id === this.chosen()) ?? null);
  protected readonly isPasting = signal(false);
  protected readonly pasted = signal('');
  protected readonly pasteFaults = signal<readonly { line: number; words: string }[]>([]);
  protected readonly problem = signal<string | null>(null);
  protected readonly fileFaults = signal<readonly { item: string; words: string }[]>([]);
  private readonly api = inject(QuizzesApi);
  protected readonly words = questionWords;
  protected readonly tell = tellQuestion;
  protected readonly fault = questionFault;
  protected readonly tellQuiz = tellQuiz;
  protected readonly kinds: Choice<QuestionKind>[] = QUESTION_KINDS.map((kind) => ({ value: kind, label: questionWords(kind) }));
  protected readonly shows: Choice<Quiz['shows']>[] = [
    { value: 'score', label: 'the score only' },
    { value: 'own', label: 'which of their answers were right' },
    { value: 'right', label: 'also what would have been right' },
  ];
  protected readonly tellings: Choice<Quiz['told']['of']>[] = [
    { value: 'waiting', label: 'what waits for marking' },
    { value: 'failed', label: 'what was not passed' },
    { value: 'all', label: 'every submission' },
    { value: 'nothing', label: 'nothing' },
  ];
  protected readonly whens: Choice<Quiz['told']['when']>[] = [
    { value: 'per day', label: 'gathered, once a day' },
    { value: 'at once', label: 'at once, one each' },
  ];
  protected readonly isOff = computed(() => !this.store.canWrite());

  protected set(change: Partial<Quiz>): void {
    const form = this.form();
    if (form) this.store.setUnit(form.key, { quiz: { ...this.quiz(), ...change } });
  }

  protected setTold(change: Partial<Quiz['told']>): void {
    this.set({ told: { ...this.quiz().told, ...change } });
  }

  protected readonly roles = [
    { role: 'trainer', words: 'the owner' },
    { role: 'assistants', words: 'the assistants' },
  ];
  protected readonly nameOf = (id: string): string => this.store.named(id).name;

  protected put(question: Question): void {
    this.set({ questions: this.quiz().questions.map((other) => (other.id === question.id ? question : other)) });
  }

  protected add(kind: QuestionKind): void {
    if (!kind) return;
    const made = newQuestion(kind, newId());
    const { questions } = this.quiz();
    const at = questions.findIndex(({ id }) => id === this.chosen());
    const place = at === -1 ? questions.length : at + 1;
    this.set({ questions: [...questions.slice(0, place), made, ...questions.slice(place)] });
    this.chosen.set(made.id);
    setTimeout(() => document.querySelector<HTMLElement>('nk-question-form [role="textbox"]')?.focus());
  }

  protected copy(question: Question): void {
    const made = { ...structuredClone(question), id: newId() };
    const { questions } = this.quiz();
    const at = questions.findIndex(({ id }) => id === question.id) + 1;
    this.set({ questions: [...questions.slice(0, at), made, ...questions.slice(at)] });
    this.chosen.set(made.id);
  }

  protected remove(question: Question): void {
    this.set({ questions: this.quiz().questions.filter(({ id }) => id !== question.id) });
    if (this.chosen() === question.id) this.chosen.set(null);
  }

  protected move(index: number, step: number): void {
    const questions = [...this.quiz().questions];
    moveItemInArray(questions, index, Math.max(0, Math.min(questions.length - 1, index + step)));
    this.set({ questions });
  }

  protected drop({ previousIndex, currentIndex }: CdkDragDrop<unknown>): void {
    if (previousIndex !== currentIndex) this.move(previousIndex, currentIndex - previousIndex);
  }

  protected key(event: KeyboardEvent, index: number, question: Question): void {
    if (event.altKey && (event.key === 'ArrowUp' || event.key === 'ArrowDown')) {
      event.preventDefault();
      this.move(index, event.key === 'ArrowUp' ? -1 : 1);
      setTimeout(() => document.getElementById(`question-${question.id}`)?.focus());
    } else if (event.key === 'ArrowUp' || event.key === 'ArrowDown') {
      event.preventDefault();
      const next = this.quiz().questions[index + (event.key === 'ArrowUp' ? -1 : 1)];
      if (next) document.getElementById(`question-${next.id}`)?.focus();
    }
  }

  /** Questions from a package of QTI; what cannot be read is named, item by item. */
  protected takeFile(file: File | undefined): void {
    if (!file) return;
    this.problem.set(null);
    this.fileFaults.set([]);
    this.api.read(file).subscribe({
      next: ({ questions, faults }) => {
        this.fileFaults.set(faults);
        if (questions.length === 0) return;
        this.set({ questions: [...this.quiz().questions, ...questions] });
        this.chosen.set(questions[0]!.id);
      },
      error: (error: unknown) => this.problem.set(sentenceOf(error)),
    });
  }

  protected takePasted(): void {
    const { questions, faults } = readQuestions(this.pasted(), newId);
    this.pasteFaults.set(faults);
    if (questions.length === 0) return;
    this.set({ questions: [...this.quiz().questions, ...questions] });
    this.chosen.set(questions[0]!.id);
    if (faults.length === 0) {
      this.isPasting.set(false);
      this.pasted.set('');
      return;
    }
    // what could not be read stays there to be mended
    const lines = this.pasted().split(/\r?\n/);
    const blocks = this.pasted().split(/\r?\n\s*\r?\n/);
    let at = 1;
    const kept = blocks.filter((block) => {
      const from = at;
      at += block.split(/\r?\n/).length + 1;
      return faults.some(({ line }) => line >= from && line < at);
    });
    this.pasted.set(kept.length > 0 ? kept.join('\n\n') : lines.join('\n'));
  }
}
