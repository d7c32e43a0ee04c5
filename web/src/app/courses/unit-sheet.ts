import { ChangeDetectionStrategy, Component, computed, effect, inject, input, output, signal, untracked } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { UNIT_KINDS, unitKind, type UnitKind } from '@nudrik/core';
import { NumberField } from '../shared/pick/number-field.ts';
import { SelectField, type Choice } from '../shared/pick/select.ts';
import { sentenceOf } from '../shared/refusal.ts';
import { asKind, type UnitForm } from './course-form.ts';
import { CoursesApi } from './courses.api.ts';
import { CourseStore } from './course.store.ts';
import { PageEditor } from './page-editor.ts';
import { ReleaseField } from './release-field.ts';

/** One unit beside the outline: what it is, what it counts, when it opens, what stands in it. */
@Component({
  selector: 'nk-unit-sheet',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [FormsModule, NumberField, SelectField, PageEditor, ReleaseField],
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

  protected set(change: Partial<UnitForm>): void {
    this.store.setUnit(this.unit().key, change);
  }

  protected become(kind: UnitKind): void {
    if (kind !== this.unit().kind) this.set(asKind(this.unit(), kind));
  }

  protected upload(file: File | undefined): void {
    if (!file) return;
    const { key, title } = this.unit();
    this.problem.set(null);
    this.api.upload(file).subscribe({
      next: (stored) => this.store.setUnit(key, { file: stored, fileId: stored.id, ...(title.trim() === '' ? { title: file.name.replace(/\.\w+$/, '') } : {}) }), // prettier-ignore
      error: (error: unknown) => this.problem.set(sentenceOf(error)),
    });
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
