import { ChangeDetectionStrategy, Component, computed, effect, inject, input, output, signal, untracked } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { Router, RouterLink } from '@angular/router';
import { tellQuiz, tellSurvey, UNIT_KINDS, unitKind, type Quiz, type UnitKind } from '@nudrik/core';
import { NumberField } from '../shared/pick/number-field.ts';
import { SelectField, type Choice } from '../shared/pick/select.ts';
import { sentenceOf } from '../shared/refusal.ts';
import { asKind, type UnitForm } from './course-form.ts';
import { CoursesApi } from './courses.api.ts';
import { CourseStore } from './course.store.ts';
import { PageEditor } from './page-editor.ts';
import { ReleaseField } from './release-field.ts';
import { SessionRulesEdit } from '../sessions/session-rules.ts';
import { SignOffEdit } from '../sign-offs/sign-off-edit.ts';
import { UnitFile } from './unit-file.ts';

/** One unit beside the outline: what it is, what it counts, when it opens, what stands in it. */
@Component({
  selector: 'nk-unit-sheet',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [FormsModule, RouterLink, NumberField, SelectField, PageEditor, ReleaseField, SessionRulesEdit, SignOffEdit, UnitFile],
  templateUrl: './unit-sheet.html',
  styles: `
    .top { display: flex; gap: 12px; align-items: baseline; }
    .top h2 { flex: 1; margin: 0; }
    .row { display: grid; grid-template-columns: 1fr auto 76px; gap: 0 14px; align-items: end; margin-top: 14px; }
    .required { display: flex; gap: 7px; align-items: center; padding-bottom: 19px; }
    .required input { accent-color: var(--plum); }
    .acts { display: flex; gap: 14px; align-items: center; margin-top: 22px; padding-top: 12px; border-top: 1px solid var(--rule); }
  `,
})
export class UnitSheet {
  protected readonly store = inject(CourseStore);
  private readonly api = inject(CoursesApi);
  readonly unit = input.required<UnitForm>();
  readonly fault = input<string | null>(null);
  readonly closed = output<void>();
  protected readonly problem = signal<string | null>(null);
  protected readonly said = signal<string | null>(null);
  protected readonly kinds: Choice<UnitKind>[] = UNIT_KINDS.map((kind) => ({ value: kind, label: unitKind(kind).words }));
  protected readonly isOff = computed(() => !this.store.canWrite());
  protected readonly elsewhere = signal<Choice[]>([]);
  private readonly key = computed(() => this.unit().key);

  constructor() {
    effect(() => {
      this.key();
      untracked(() => {
        this.problem.set(null);
        this.said.set(null);
      });
    });
    this.api.list().subscribe({
      next: (rows) =>
        this.elsewhere.set(
          rows
            .filter(({ id, state }) => id !== this.store.id() && state !== 'retired')
            .map(({ id, title }) => ({ value: id, label: title })),
        ),
      error: () => undefined,
    });
  }

  private readonly router = inject(Router);
  protected readonly nameOf = (id: string) => this.store.named(id);
  protected readonly tellQuiz = tellQuiz;
  protected readonly tellSurvey = tellSurvey;

  protected told({ told: { of, to, when } }: Quiz): string {
    const WHAT = { nothing: 'nothing', all: 'every submission', failed: 'what was not passed', waiting: 'what waits for marking' };
    if (of === 'nothing' || to.length === 0) return 'nothing';
    return `${WHAT[of]}, ${when === 'per day' ? 'gathered once a day' : 'at once'}: ${to.map((one) => (one === 'trainer' ? 'the owner' : one)).join(', ')}`;
  }

  /** Its questions stand under its id, which it has once it was kept. */
  protected async write(unit: UnitForm, what: 'questions' | 'survey' = 'questions'): Promise<void> {
    await this.store.settled();
    const kept = this.store.units().find(({ key }) => key === unit.key);
    if (kept && !kept.id.startsWith('new-')) void this.router.navigate(['/courses', this.store.id(), what, kept.id]);
  }

  protected set(change: Partial<UnitForm>): void {
    this.store.setUnit(this.unit().key, change);
  }

  protected become(kind: UnitKind): void {
    if (kind !== this.unit().kind) this.set(asKind(this.unit(), kind));
  }

  protected moveTo(courseId: string): void {
    if (!courseId) return;
    const title = this.elsewhere().find(({ value }) => value === courseId)?.label ?? 'the other course';
    const unit = this.unit();
    this.store.moveAway(unit, courseId).subscribe({
      next: () => {
        this.closed.emit();
        this.store.problem.set(null);
      },
      error: (error: unknown) => this.problem.set(`It was not moved to ${title}. ${sentenceOf(error)}`),
    });
  }
}
