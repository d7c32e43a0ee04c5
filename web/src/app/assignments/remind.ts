import { ChangeDetectionStrategy, Component, computed, inject, input, linkedSignal, output, signal } from '@angular/core';
import { toObservable } from '@angular/core/rxjs-interop';
import { FormsModule } from '@angular/forms';
import type { PreviewNotice, PreviewPerson, RemindResult, RemindWhom } from '@nudrik/contract';
import { GROUP_TEXT, HAND_TEXT, tellAmount, type Template } from '@nudrik/core';
import { Dialog } from 'primeng/dialog';
import { debounceTime } from 'rxjs';
import { conditionFrom, openConditions, type GroupRow } from '../conditions/condition-model.ts';
import { ConditionPeople, ConditionRows } from '../conditions/condition-rows.ts';
import { PlanPeople } from '../plans/plan-people.ts';
import { PlansApi } from '../plans/plans.api.ts';
import { DateField } from '../shared/pick/date-field.ts';
import { Letter } from '../messages/letter.ts';
import { TemplateEdit } from '../messages/template-edit.ts';
import { SessionStore } from '../access/session.store.ts';
import { newKey } from '../shared/key.ts';
import { load } from '../shared/loaded.ts';
import { zoneWords } from '../shared/moment.pipe.ts';
import { sentenceOf } from '../shared/refusal.ts';
import { AssignmentsApi } from './assignments.api.ts';

/** Reminds people now, by hand: who gets it and who is left alone, when it reaches each, and the text as each reads it; then it goes. */
@Component({
  selector: 'nk-remind',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [ConditionRows, DateField, Dialog, FormsModule, Letter, TemplateEdit],
  providers: [PlanPeople, { provide: ConditionPeople, useExisting: PlanPeople }],
  templateUrl: './remind.html',
  styleUrl: './remind.css',
})
export class Remind {
  private readonly api = inject(AssignmentsApi);
  private readonly plans = inject(PlansApi);
  protected readonly session = inject(SessionStore);
  readonly whom = input<Partial<RemindWhom>>({});
  /** the course whose group is written to, in place of people who were chosen */
  readonly course = input<string | null>(null);
  /** what it begins with, where something goes again */
  readonly begins = input<{ name: string; message: Template } | null>(null);
  readonly done = output<RemindResult>();
  readonly left = output<void>();
  protected readonly name = linkedSignal(() => this.begins()?.name ?? (this.course() ? 'Message to a group' : 'Reminder by hand'));
  protected readonly message = linkedSignal((): Template => this.begins()?.message ?? (this.course() ? GROUP_TEXT : HAND_TEXT));
  // who asks for it again means it
  protected readonly alsoTold = linkedSignal(() => this.begins() !== null || this.course() !== null);
  protected readonly reader = signal<string | null>(null);
  protected readonly isWriting = linkedSignal(() => this.course() !== null);
  protected readonly until = signal('');
  protected readonly rows = signal<GroupRow>({ kind: 'group', isNot: false, mode: 'all', rows: [] });
  protected readonly open = computed(() => openConditions(this.rows())[0] ?? null);
  protected readonly choices = load(toObservable(this.course), (course) => this.plans.choices(course), ['courses', 'people']);
  /** nothing was written to the group yet */
  protected readonly isBare = computed(() => this.course() !== null && this.message() === GROUP_TEXT);
  protected readonly isBusy = signal(false);
  protected readonly problem = signal<string | null>(null);
  private readonly key = newKey();
  private readonly whomAsked = computed(() => {
    const courseId = this.course();
    return courseId ? { group: { courseId, onlyIf: conditionFrom(this.rows()) }, joinersUntil: this.until() || null } : this.whom();
  });
  // a row of conditions that says nothing yet asks for nothing anew
  private readonly request = computed(
    () => ({
      ...this.whomAsked(),
      name: this.name().trim() || (this.course() ? 'Message to a group' : 'Reminder by hand'),
      message: this.message(),
      alsoTold: this.alsoTold(),
      as: this.reader(),
      key: this.key,
    }),
    { equal: (one, other) => JSON.stringify(one) === JSON.stringify(other) },
  );
  protected readonly preview = load(toObservable(this.request).pipe(debounceTime(200)), (request) => this.api.previewRemind(request), ['notices']); // prettier-ignore
  protected readonly people = computed(() => this.preview.data()?.people ?? []);
  protected readonly at = computed(() => Math.max(0, this.people().findIndex(({ assignmentId }) => assignmentId === this.reader()))); // prettier-ignore
  protected readonly zoneWords = zoneWords;

  protected readonly countWords = computed(() => tellAmount(this.preview.data()?.count ?? 0, 'people'));
  protected noticeOf({ notices }: PreviewPerson): PreviewNotice | null {
    return notices[0] ?? null;
  }

  protected goes(notice: PreviewNotice | null): string {
    if (!notice) return '';
    return notice.outcome === 'send' ? (notice.local ?? '') : (notice.reason ?? '');
  }

  /** Reads the text as the person before or after, around the ends. */
  protected turn(by: number): void {
    const people = this.people();
    if (people.length > 0) this.reader.set(people[(this.at() + by + people.length) % people.length]!.assignmentId);
  }

  protected send(): void {
    this.isBusy.set(true);
    this.problem.set(null);
    this.api.remind(this.request()).subscribe({
      next: (result) => this.done.emit(result),
      error: (error: unknown) => {
        this.isBusy.set(false);
        this.problem.set(sentenceOf(error));
        this.preview.reload();
      },
    });
  }
}
