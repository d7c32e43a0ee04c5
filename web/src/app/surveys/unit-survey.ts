import { ChangeDetectionStrategy, Component, computed, effect, inject, input, output, signal, untracked } from '@angular/core';
import { FormsModule } from '@angular/forms';
import type { LearningUnit } from '@nudrik/contract';
import { readSurveyAnswers, SCALE, type SurveyAnswer } from '@nudrik/core';
import { LearningApi } from '../learning/learning.api.ts';
import { sentenceOf } from '../shared/refusal.ts';

/** A survey as it is answered. What is written stays on this device until it is sent, whatever the connection does. */
@Component({
  selector: 'nk-unit-survey',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [FormsModule],
  template: `
    @if (unit().doneAt) {
      <p class="quiet">Answered, thank you.</p>
    } @else if (survey(); as survey) {
      <p class="quiet">{{ survey.isAnonymous ? 'Anonymous: what you answer is kept without your name and without the moment. That you answered is known.' : 'Your answers are kept with your name.' }}</p>
      @for (question of survey.questions; track question.id; let i = $index) {
        <fieldset>
          <legend>{{ i + 1 }}. {{ question.text }}@if (!question.isRequired) {<span class="quiet"> if you like</span>}</legend>
          @switch (question.kind) {
            @case ('one') {
              @for (choice of question.choices; track $index) {
                <label class="choice"><input type="radio" [name]="question.id" [checked]="answers()[question.id] === choice" (change)="set(question.id, choice)" /> {{ choice }}</label>
              }
            }
            @case ('several') {
              @for (choice of question.choices; track $index) {
                <label class="choice"><input type="checkbox" [checked]="has(question.id, choice)" (change)="toggle(question.id, choice)" /> {{ choice }}</label>
              }
            }
            @case ('scale') {
              <div class="scale" role="radiogroup" [attr.aria-label]="question.text">
                <span class="quiet">{{ question.low }}</span>
                @for (step of scale; track step) {
                  <label class="step"><input type="radio" [name]="question.id" [checked]="answers()[question.id] === step" (change)="set(question.id, step)" /> {{ step }}</label>
                }
                <span class="quiet">{{ question.high }}</span>
              </div>
            }
            @case ('text') {
              <textarea class="input" rows="3" maxlength="5000" [ngModel]="textOf(question.id)" (ngModelChange)="set(question.id, $event)" [attr.aria-label]="question.text"></textarea>
            }
          }
        </fieldset>
      }
      @if (problem()) {<p class="refusal" role="alert">{{ problem() }}</p>}
      @if (!isOver()) {<button class="button filled" (click)="send()" [disabled]="isBusy()">Send it</button>}
    }
  `,
  styles: `
    fieldset { border: 0; padding: 0; margin: 14px 0; }
    legend { font-weight: 600; padding: 0; margin-bottom: 6px; }
    legend .quiet { font-weight: 400; }
    .choice { display: flex; gap: 8px; padding: 4px 0; }
    .scale { display: flex; gap: 2px 14px; flex-wrap: wrap; align-items: center; }
    .step { display: inline-flex; gap: 6px; align-items: center; padding: 4px 0; }
    input { accent-color: var(--plum); }
    textarea { width: 100%; max-width: 560px; }
  `,
})
export class UnitSurvey {
  private readonly api = inject(LearningApi);
  readonly token = input.required<string>();
  readonly unit = input.required<LearningUnit>();
  readonly isOver = input(false);
  readonly changed = output<void>();
  protected readonly survey = computed(() => this.unit().survey);
  protected readonly answers = signal<Readonly<Record<string, SurveyAnswer>>>({});
  protected readonly problem = signal<string | null>(null);
  protected readonly isBusy = signal(false);
  protected readonly scale = SCALE;
  private readonly key = computed(() => `nudrik.survey.${this.token().slice(0, 12)}.${this.unit().id}`);

  constructor() {
    effect(() => {
      const key = this.key();
      untracked(() => this.answers.set(this.found(key)));
    });
  }

  private found(key: string): Record<string, SurveyAnswer> {
    try {
      return JSON.parse(localStorage.getItem(key) ?? '{}') as Record<string, SurveyAnswer>;
    } catch {
      return {};
    }
  }

  private remember(text: string | null): void {
    try {
      if (text === null) localStorage.removeItem(this.key());
      else localStorage.setItem(this.key(), text);
    } catch {
      // a browser that keeps nothing
    }
  }

  protected set(id: string, answer: SurveyAnswer): void {
    this.answers.update((answers) => ({ ...answers, [id]: answer }));
    this.remember(JSON.stringify(this.answers()));
  }

  protected textOf(id: string): string {
    const answer = this.answers()[id];
    return typeof answer === 'string' ? answer : '';
  }

  private listOf(id: string): readonly string[] {
    const answer = this.answers()[id];
    return Array.isArray(answer) ? (answer as readonly string[]) : [];
  }

  protected has(id: string, choice: string): boolean {
    return this.listOf(id).includes(choice);
  }

  protected toggle(id: string, choice: string): void {
    const chosen = this.listOf(id);
    this.set(id, chosen.includes(choice) ? chosen.filter((one) => one !== choice) : [...chosen, choice]);
  }

  protected send(): void {
    const { answers, missing } = readSurveyAnswers(this.survey()!, this.answers());
    if (missing.length > 0) {
      this.problem.set(missing.length === 1 ? `Question ${missing[0]} asks for an answer.` : `Questions ${missing.join(', ')} ask for an answer.`); // prettier-ignore
      return;
    }
    this.problem.set(null);
    this.isBusy.set(true);
    this.api.answerSurvey(this.token(), this.unit().id, answers).subscribe({
      next: () => {
        this.isBusy.set(false);
        this.remember(null);
        this.changed.emit();
      },
      error: (error: unknown) => {
        this.isBusy.set(false);
        this.problem.set(`${sentenceOf(error)} What you wrote stays here.`);
      },
    });
  }
}
