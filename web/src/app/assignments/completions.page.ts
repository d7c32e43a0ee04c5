import { ChangeDetectionStrategy, Component, computed, inject, signal } from '@angular/core';
import { toObservable, toSignal } from '@angular/core/rxjs-interop';
import { FormsModule } from '@angular/forms';
import type { ActResult } from '@nudrik/contract';
import { catchError, debounceTime, of } from 'rxjs';
import { RequirementsTabs } from '../requirements/requirements-tabs.ts';
import { load } from '../shared/loaded.ts';
import { DayPipe } from '../shared/moment.pipe.ts';
import { SelectField } from '../shared/pick/select.ts';
import { DATE_ORDERS } from '../shared/pick/date-orders.ts';
import { sentenceOf } from '../shared/refusal.ts';
import { Undo } from './undo.ts';
import { CoursesApi } from '../courses/courses.api.ts';
import { FilesApi } from '../files/files.api.ts';
import { AssignmentsApi } from './assignments.api.ts';

/** What people finished before Nudrik knew of it: from a list, with its proof, looked at before it is recorded. */
@Component({
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [FormsModule, DayPipe, SelectField, RequirementsTabs, Undo],
  templateUrl: './completions.page.html',
  styles: `
    textarea.input { font-variant-numeric: tabular-nums; min-height: 130px; max-width: 820px; }
    .three { display: grid; grid-template-columns: minmax(0, 1fr) minmax(0, 1.3fr) minmax(0, 0.9fr); gap: 0 16px; max-width: 820px; margin-top: 12px; }
    section { max-width: 1000px; margin-top: 18px; }
  `,
})
export class CompletionsPage {
  private readonly api = inject(AssignmentsApi);
  private readonly files = inject(FilesApi);
  protected readonly text = signal('');
  protected readonly dateOrder = signal<'ymd' | 'dmy' | 'mdy' | null>(null);
  protected readonly courses = toSignal(
    inject(CoursesApi)
      .list()
      .pipe(catchError(() => of([]))),
    { initialValue: [] },
  );
  protected readonly dateOrders = DATE_ORDERS;
  protected readonly courseChoices = computed(() => [
    { value: null, label: 'as the list says' },
    ...this.courses()
      .filter(({ state }) => state !== 'draft')
      .map(({ id, title }) => ({ value: id, label: title })),
  ]);
  /** the course of the whole list, where it names none */
  protected readonly courseId = signal<string | null>(null);
  protected readonly reason = signal('');
  protected readonly proof = signal<{ id: string; name: string } | null>(null);
  protected readonly done = signal<ActResult | null>(null);
  protected readonly problem = signal<string | null>(null);
  protected readonly isBusy = signal(false);
  private readonly question = computed(() =>
    this.text().trim() ? { text: this.text(), dateOrder: this.dateOrder(), courseId: this.courseId() } : null,
  );
  protected readonly preview = load(toObservable(this.question).pipe(debounceTime(250)), (question) =>
    this.api.previewCompletions(question),
  );

  protected async choose(file: File | undefined): Promise<void> {
    if (!file) return;
    this.done.set(null);
    const bytes = new Uint8Array(await file.arrayBuffer());
    const { decode } = await import('@nudrik/core/table-file');
    this.text.set(decode(bytes).text);
  }

  protected attach(file: File | undefined): void {
    if (!file) return;
    this.problem.set(null);
    this.files
      .proof(file)
      .subscribe({ next: (kept) => this.proof.set(kept), error: (error: unknown) => this.problem.set(sentenceOf(error)) });
  }

  protected record(): void {
    this.isBusy.set(true);
    this.problem.set(null);
    this.api
      .recordCompletions({
        text: this.text(),
        dateOrder: this.dateOrder(),
        courseId: this.courseId(),
        reason: this.reason(),
        proofId: this.proof()?.id ?? null,
      })
      .subscribe({
        next: (done) => {
          this.isBusy.set(false);
          this.done.set(done);
          this.text.set('');
          this.proof.set(null);
        },
        error: (error: unknown) => {
          this.isBusy.set(false);
          this.problem.set(sentenceOf(error));
        },
      });
  }
}
