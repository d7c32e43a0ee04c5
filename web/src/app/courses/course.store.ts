import { HttpErrorResponse } from '@angular/common/http';
import { computed, DestroyRef, inject, Injectable, signal, untracked } from '@angular/core';
import { takeUntilDestroyed } from '@angular/core/rxjs-interop';
import type { OutlineLine } from '@nudrik/core';
import type { CourseDraft, CourseFault, CourseState, CourseView, DraftSaved, DraftView, Editor } from '@nudrik/contract';
import { catchError, debounceTime, EMPTY, exhaustMap, map, merge, Subject, switchMap, takeUntil, tap, timer, type Observable } from 'rxjs'; // prettier-ignore
import { SessionStore } from '../access/session.store.ts';
import type { Named } from '../people/named.ts';
import { newKey } from '../shared/key.ts';
import { LiveService } from '../shared/live.service.ts';
import { NewerSaved } from '../shared/newer.ts';
import { sentenceOf } from '../shared/refusal.ts';
import { until } from '../shared/until.ts';
import { WorkInHand } from '../shared/work-in-hand.ts';
import { draftOf, formOf, OUTLINE, tellForm, unitsOf, withIds, type CourseForm, type SectionForm, type UnitForm } from './course-form.ts';
import { CoursesApi } from './courses.api.ts';

/** What is typed is kept this long after the last key. */
const REST_MS = 700;
/** How often it is said that somebody is still here, and tried again where the server does not answer. */
const HERE_MS = 20_000;
const AGAIN_MS = 3_000;
/** Steps that can be taken back. */
const STEPS = 100;

interface Saving {
  save: string;
  version: number;
  content: CourseDraft;
}

/** One course while it is written: what is written, kept as it goes on; who else is in it; what is undone and done again. */
@Injectable()
export class CourseStore {
  private readonly api = inject(CoursesApi);
  private readonly session = inject(SessionStore);
  private readonly live = inject(LiveService);
  readonly id = signal<string | null>(null);
  readonly form = signal<CourseForm | null>(null);
  readonly state = signal<CourseState>('draft');
  /** names of who may stand as the owner here: the stored one, and whoever was picked */
  private readonly names = signal<Readonly<Record<string, string>>>({});
  /** as it is written now, also after a step that was taken back */
  readonly owner = computed(() => {
    const id = this.form()?.ownerId ?? null;
    return id === null ? null : this.named(id);
  });
  readonly assistants = computed(() => (this.form()?.assistants ?? []).map((id) => this.named(id)));
  readonly error = signal<string | null>(null);
  readonly problem = signal<string | null>(null);
  readonly faults = signal<readonly CourseFault[]>([]);
  readonly others = signal<readonly Editor[]>([]);
  readonly savedAt = signal<string | null>(null);
  readonly isSaving = signal(false);
  /** the server does not answer: what is written stays here and is tried again */
  readonly isCutOff = signal(false);
  /** something is kept that is not published */
  readonly hasDraft = signal(false);
  /** the line that has the cursor */
  readonly line = signal<OutlineLine | null>(null);
  readonly version = signal<number | null>(null);
  readonly canWrite = computed(() => this.session.canEdit() && this.state() !== 'retired');
  readonly units = computed(() => (this.form() ? unitsOf(this.form()!) : []));
  private readonly kept = signal('');
  readonly draft = computed(() => (this.form() ? draftOf(this.form()!) : null));
  readonly isChanged = computed(() => this.draft() !== null && this.canWrite() && JSON.stringify(this.draft()) !== this.kept());
  readonly work = new WorkInHand<CourseDraft>({
    key: computed(() => (this.id() ? `course/${this.id()!}` : null)),
    draft: this.draft,
    version: this.version,
    isChanged: this.isChanged,
  });
  /** what somebody else kept meanwhile, beside mine */
  readonly newer = new NewerSaved<DraftView>({
    problem: this.problem,
    both: () =>
      this.api
        .draft(this.id()!)
        .pipe(map((theirs) => ({ theirs, mine: tellForm(this.form()!, this.owner()?.name ?? 'nobody', this.assistants().map(({ name }) => name)), saved: tellForm(formOf(theirs.content), theirs.owner?.name ?? 'nobody', theirs.content.assistants.map((id) => theirs.people.find((person) => person.id === id)?.name ?? id)) }))), // prettier-ignore
    goOn: ({ version }) => {
      this.version.set(version);
      this.typed.next();
    },
    take: (theirs) => {
      this.work.drop();
      this.fill(theirs);
    },
  });
  private readonly typed = new Subject<void>();
  private readonly gone = new Subject<void>();
  private saving: Saving | null = null;
  private done: { label: string; at: number; before: CourseForm }[] = [];
  private undone: CourseForm[] = [];
  private readonly steps = signal({ back: 0, on: 0 });
  readonly canUndo = computed(() => this.steps().back > 0);
  readonly canRedo = computed(() => this.steps().on > 0);
  private ids: Record<string, string> = {};

  constructor() {
    const destroyed = takeUntilDestroyed<void>();
    this.typed.pipe(debounceTime(REST_MS), destroyed).subscribe(() => this.saveNow());
    inject(DestroyRef).onDestroy(() => this.close());
  }

  /** Opens a course: as it is written for who may write, as it is for who reads. */
  open(id: string): void {
    if (this.id() === id) return;
    this.close();
    this.id.set(id);
    this.form.set(null);
    this.error.set(null);
    // what was under way for another course is none of this one's
    this.isSaving.set(false);
    this.isCutOff.set(false);
    this.saving = null;
    this.ids = {};
    this.newer.forget();
    this.problem.set(null);
    if (!this.session.canEdit()) return this.read(id);
    this.api.draft(id).subscribe({
      next: (view) => {
        if (this.id() !== id) return;
        this.fill(view);
        const found = this.work.find(`course/${id}`);
        if (found && found.version === view.version) this.form.set({ ...formOf(found.draft as DraftView['content']) });
        else if (found) this.work.drop();
        if (this.isChanged()) this.saveNow();
      },
      error: (error: unknown) => this.error.set(sentenceOf(error)),
    });
    merge(timer(HERE_MS, HERE_MS), this.live.on(['courses']))
      .pipe(
        exhaustMap(() => this.api.here(id).pipe(catchError(() => EMPTY))),
        takeUntil(this.gone),
      )
      .subscribe(({ version, others }) => {
        this.others.set(others);
        if (version !== this.version() && !this.isSaving() && !this.isChanged()) this.reload();
      });
  }

  private read(id: string): void {
    this.api.get(id).subscribe({
      next: (view: CourseView) => {
        this.state.set(view.state);
        this.know(view.owner);
        this.form.set(formOf(view));
      },
      error: (error: unknown) => this.error.set(sentenceOf(error)),
    });
  }

  private close(): void {
    this.gone.next();
    const id = this.id();
    if (id && this.session.canEdit()) {
      if (this.isChanged()) this.saveNow();
      this.api.leave(id).subscribe({ error: () => undefined });
    }
    this.id.set(null);
  }

  /** What is kept now, where nothing here waits to be. */
  reload(): void {
    const id = this.id();
    if (!id) return;
    this.api.draft(id).subscribe({
      next: (view) => {
        if (this.id() === id && !this.isChanged()) this.fill(view);
      },
      error: (error: unknown) => this.problem.set(sentenceOf(error)),
    });
  }

  private fill(view: DraftView): void {
    const before = this.form();
    this.state.set(view.state);
    this.know(view.owner);
    view.people.forEach((person) => this.know(person));
    this.faults.set(view.faults);
    this.others.set(view.others);
    this.savedAt.set(view.savedAt);
    this.hasDraft.set(view.savedAt !== null && view.state !== 'draft');
    this.version.set(view.version);
    const form = formOf(view.content);
    this.form.set(before ? sameKeys(form, before) : form);
    this.kept.set(JSON.stringify(draftOf(this.form()!)));
    this.forget();
  }

  /** Somebody who stands in what is written. */
  named(id: string): Named {
    return { id, name: this.names()[id] ?? 'somebody who is not on the roster' };
  }

  know(person: Named | null): void {
    if (person) this.names.update((names) => ({ ...names, [person.id]: person.name }));
  }

  private forget(): void {
    this.done = [];
    this.undone = [];
    this.count();
  }

  private count(): void {
    this.steps.set({ back: this.done.length, on: this.undone.length });
  }

  /** Changes what is written. Edits with one label, one soon after the other, are one step. */
  edit(label: string, change: (form: CourseForm) => CourseForm): void {
    const before = this.form();
    if (!before || !this.canWrite()) return;
    const now = Date.now();
    const last = this.done.at(-1);
    if (last && last.label === label && now - last.at < 1_500) last.at = now;
    else this.done = [...this.done.slice(1 - STEPS), { label, at: now, before }];
    this.undone = [];
    this.count();
    // what was chosen a moment before a unit got its id names it by the one that it had
    this.put(withIds(change(before), this.ids));
  }

  private put(form: CourseForm): void {
    this.form.set(form);
    this.problem.set(null);
    this.typed.next();
  }

  undo(): void {
    const step = this.done.pop();
    if (!step) return;
    this.undone.push(this.form()!);
    this.count();
    this.put(withIds(step.before, this.ids));
  }

  redo(): void {
    const form = this.undone.pop();
    if (!form) return;
    this.done.push({ label: '', at: 0, before: this.form()! });
    this.count();
    this.put(withIds(form, this.ids));
  }

  set(facts: Partial<Omit<CourseForm, 'sections'>>): void {
    this.edit(`facts ${Object.keys(facts).join()}`, (form) => ({ ...form, ...facts }));
  }

  own(person: { id: string; name: string } | null): void {
    this.know(person);
    this.set({ ownerId: person?.id ?? null });
  }

  assist(assistants: readonly Named[]): void {
    assistants.forEach((person) => this.know(person));
    this.set({ assistants: assistants.map(({ id }) => id) });
  }

  setUnit(key: string, change: Partial<UnitForm>): void {
    this.edit(`${key} ${Object.keys(change).join()}`, (form) => ({ ...form, sections: form.sections.map((section) => ({ ...section, units: section.units.map((unit) => (unit.key === key ? { ...unit, ...change } : unit)) })) })); // prettier-ignore
  }

  /** The same for many at once; one step. */
  setUnits(changes: ReadonlyMap<string, Partial<UnitForm>>): void {
    this.edit(`many ${Date.now()}`, (form) => ({ ...form, sections: form.sections.map((section) => ({ ...section, units: section.units.map((unit) => ({ ...unit, ...changes.get(unit.key) })) })) })); // prettier-ignore
  }

  setSection(key: string, title: string): void {
    this.edit(`${key} title`, (form) => ({ ...form, sections: form.sections.map((section) => (section.key === key ? { ...section, title } : section)) })); // prettier-ignore
  }

  /** An edit of the outline: the cursor goes where it says. */
  arrange(
    label: string,
    edit: (outline: typeof OUTLINE, sections: readonly SectionForm[]) => { sections: readonly SectionForm[]; at: OutlineLine },
  ): void {
    const form = this.form();
    if (!form || !this.canWrite()) return;
    const { sections, at } = edit(OUTLINE, form.sections);
    if (sections !== form.sections) this.edit(`${label} ${Date.now()}`, (was) => ({ ...was, sections }));
    this.line.set(at);
  }

  /** Moves a unit to the end of another course, as it is written there. */
  moveAway(unit: UnitForm, courseId: string): Observable<unknown> {
    return this.api.draft(courseId).pipe(
      switchMap((view) => {
        const content = draftOf(formOf(view.content));
        const sections = content.sections.length > 0 ? content.sections : [{ id: null, title: 'First section', units: [] }];
        const { key: _key, file: _file, ...moved } = { ...unit, id: null, release: unit.release?.kind === 'finished' || unit.release?.kind === 'passed' ? null : unit.release }; // prettier-ignore
        const last = sections.at(-1)!;
        return this.api.save(courseId, {
          version: view.version,
          save: newKey(),
          content: { ...content, sections: [...sections.slice(0, -1), { ...last, units: [...last.units, moved] }] },
        });
      }),
      tap(() => this.edit(`away ${unit.key}`, (form) => ({ ...form, sections: form.sections.map((section) => ({ ...section, units: section.units.filter(({ key }) => key !== unit.key) })) }))), // prettier-ignore
    );
  }

  /** Keeps what is written, now. One save at a time: what is typed meanwhile is kept by the next. */
  saveNow(): void {
    const id = untracked(this.id);
    const version = untracked(this.version);
    if (!id || version === null || this.isSaving() || !untracked(this.isChanged) || this.newer.shown()) return;
    this.saving ??= { save: newKey(), version, content: untracked(this.draft)! };
    const sent = this.saving;
    this.isSaving.set(true);
    this.api.save(id, sent).subscribe({
      next: (answer) => {
        if (this.id() === id) this.saved(sent, answer);
      },
      error: (error: unknown) => {
        if (this.id() !== id) return;
        this.isSaving.set(false);
        if (error instanceof HttpErrorResponse && (error.status === 0 || error.status >= 502)) {
          // the same save again: where it arrived and its answer was lost, it is not done twice
          this.isCutOff.set(true);
          timer(AGAIN_MS)
            .pipe(takeUntil(this.gone))
            .subscribe(() => this.saveNow());
          return;
        }
        this.saving = null;
        this.newer.refused(error);
      },
    });
  }

  private saved(sent: Saving, { version, savedAt, ids, faults }: DraftSaved): void {
    this.saving = null;
    this.isSaving.set(false);
    this.isCutOff.set(false);
    this.version.set(version);
    this.savedAt.set(savedAt);
    this.faults.set(faults);
    this.hasDraft.set(this.state() !== 'draft');
    this.ids = { ...this.ids, ...ids };
    this.form.update((form) => form && withIds(form, ids));
    const keptForm = { ...sent.content, sections: sent.content.sections.map((section) => ({ ...section, units: section.units.map((unit) => ({ ...unit, key: '', file: null, id: unit.id! })), key: '' })) }; // prettier-ignore
    this.kept.set(JSON.stringify(draftOf(withIds(keptForm, ids))));
    if (this.isChanged()) this.saveNow();
    else this.work.drop();
  }

  /** Waits until all that is written is kept, or cannot be just now. */
  async settled(): Promise<void> {
    this.saveNow();
    await until(() => !this.isSaving() && (!this.isChanged() || !!this.problem() || !!this.newer.shown() || this.isCutOff()));
  }

  drop(): Observable<unknown> {
    return this.api.drop(this.id()!).pipe(
      tap(() => {
        this.work.drop();
        this.kept.set(JSON.stringify(this.draft()));
        this.reload();
      }),
    );
  }
}

/** The same course read again: lines that stand where they stood keep their keys, and so the cursor. */
function sameKeys(form: CourseForm, before: CourseForm): CourseForm {
  const keyOf = new Map(unitsOf(before).map(({ id, key }) => [id, key]));
  return {
    ...form,
    sections: form.sections.map((section, i) => ({
      ...section,
      key: before.sections[i]?.key ?? section.key,
      units: section.units.map((unit) => ({ ...unit, key: keyOf.get(unit.id) ?? unit.key })),
    })),
  };
}
