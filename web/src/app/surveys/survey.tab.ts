import { ChangeDetectionStrategy, Component, computed, inject, input } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { RouterLink } from '@angular/router';
import { NEW_SURVEY, newSurveyQuestion, SURVEY_KIND_WORDS, SURVEY_KINDS, surveyQuestionFault, tellSurvey, type Survey, type SurveyKind, type SurveyQuestion } from '@nudrik/core'; // prettier-ignore
import { CourseStore } from '../courses/course.store.ts';
import { SelectField, type Choice } from '../shared/pick/select.ts';

let last = 0;

/** The questions of a survey, one below the other, as they will be asked. Enter in a choice begins the next. */
@Component({
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [FormsModule, RouterLink, SelectField],
  templateUrl: './survey.tab.html',
  styleUrl: './survey.tab.css',
})
export class SurveyTab {
  protected readonly store = inject(CourseStore);
  readonly unit = input.required<string>();
  protected readonly form = computed(() => this.store.units().find(({ id }) => id === this.unit()) ?? null);
  protected readonly survey = computed((): Survey => this.form()?.survey ?? NEW_SURVEY);
  protected readonly isOff = computed(() => !this.store.canWrite());
  protected readonly tell = tellSurvey;
  protected readonly fault = surveyQuestionFault;
  protected readonly kindWords = SURVEY_KIND_WORDS;
  protected readonly kinds: Choice<SurveyKind>[] = SURVEY_KINDS.map((kind) => ({ value: kind, label: SURVEY_KIND_WORDS[kind] }));

  protected set(change: Partial<Survey>): void {
    const form = this.form();
    if (form) this.store.setUnit(form.key, { survey: { ...this.survey(), ...change } });
  }

  protected change(id: string, change: Partial<SurveyQuestion>): void {
    this.set({ questions: this.survey().questions.map((question) => (question.id === id ? { ...question, ...change } : question)) });
  }

  protected add(kind: SurveyKind): void {
    const question = newSurveyQuestion(kind, `s${Date.now().toString(36)}${(++last).toString(36)}`);
    this.set({ questions: [...this.survey().questions, question] });
    setTimeout(() => document.getElementById(`asked-${question.id}`)?.focus());
  }

  protected remove(id: string): void {
    this.set({ questions: this.survey().questions.filter((question) => question.id !== id) });
  }

  protected move(at: number, step: -1 | 1): void {
    const questions = [...this.survey().questions];
    const other = at + step;
    if (other < 0 || other >= questions.length) return;
    [questions[at], questions[other]] = [questions[other]!, questions[at]!];
    this.set({ questions });
  }

  protected setChoice({ id, choices }: SurveyQuestion, at: number, words: string): void {
    this.change(id, { choices: choices.map((choice, i) => (i === at ? words : choice)) });
  }

  protected key(event: KeyboardEvent, { id, choices }: SurveyQuestion, at: number): void {
    if (event.key === 'Enter') {
      event.preventDefault();
      this.change(id, { choices: [...choices.slice(0, at + 1), '', ...choices.slice(at + 1)] });
      setTimeout(() => document.getElementById(`choice-${id}-${at + 1}`)?.focus());
    } else if (event.key === 'Backspace' && choices[at] === '' && choices.length > 2) {
      event.preventDefault();
      this.change(id, { choices: choices.filter((_, i) => i !== at) });
      setTimeout(() => document.getElementById(`choice-${id}-${Math.max(0, at - 1)}`)?.focus());
    }
  }
}
