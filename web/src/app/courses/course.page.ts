import {
  CdkDrag,
  CdkDragHandle,
  CdkDropList,
  CdkDropListGroup,
  moveItemInArray,
  transferArrayItem,
  type CdkDragDrop,
} from '@angular/cdk/drag-drop';
import { ChangeDetectionStrategy, Component, computed, effect, inject, input, signal, untracked } from '@angular/core';
import { toObservable } from '@angular/core/rxjs-interop';
import { FormsModule } from '@angular/forms';
import { Router, RouterLink } from '@angular/router';
import { UNIT_KINDS, unitKind, type UnitKind } from '@nudrik/core';
import type { CourseDraft, CourseView, UnitView } from '@nudrik/contract';
import { map, type Observable } from 'rxjs';
import { SessionStore } from '../access/session.store.ts';
import { PeopleApi } from '../people/people.api.ts';
import { PersonPick } from '../people/person-pick.ts';
import { FoundAgain } from '../shared/found-again.ts';
import type { HasWork } from '../shared/leave.ts';
import { load } from '../shared/loaded.ts';
import { Newer, NewerSaved } from '../shared/newer.ts';
import { NumberField } from '../shared/pick/number-field.ts';
import { sentenceOf } from '../shared/refusal.ts';
import { WorkInHand } from '../shared/work-in-hand.ts';
import { CoursesApi } from './courses.api.ts';
import { PageEditor } from './page-editor.ts';

interface UnitForm extends UnitView {
  key: number;
}
interface SectionForm {
  id: string | null;
  key: number;
  title: string;
  units: UnitForm[];
}
interface CourseForm {
  title: string;
  code: string;
  summary: string;
  ownerId: string | null;
  validityMonths: number | null;
  sections: SectionForm[];
}

/** A course: what it is called, its sections and units in their order, and what counts as finished. */
@Component({
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [
    FormsModule,
    RouterLink,
    CdkDropListGroup,
    CdkDropList,
    CdkDrag,
    CdkDragHandle,
    PageEditor,
    PersonPick,
    NumberField,
    FoundAgain,
    Newer,
  ],
  templateUrl: './course.page.html',
  styleUrl: './course.page.css',
})
export class CoursePage implements HasWork {
  private readonly api = inject(CoursesApi);
  private readonly router = inject(Router);
  protected readonly session = inject(SessionStore);
  readonly course = input<string>();
  protected readonly view = load(toObservable(this.course), (id) => this.api.get(id));
  private readonly people = inject(PeopleApi);
  /** names of who may stand as the owner here: the stored one, the reader, whoever was picked */
  private readonly names = signal<Readonly<Record<string, string>>>({});
  protected readonly form = signal<CourseForm | null>(null);
  /** the version that the form began from, and what it said */
  private readonly version = signal<number | null>(null);
  private readonly before = signal('');
  private readonly draft = computed(() => {
    const form = this.form();
    return form && draftOf(form);
  });
  protected readonly isChanged = computed(() => this.draft() !== null && JSON.stringify(this.draft()) !== this.before());
  readonly work = new WorkInHand<CourseDraft>({
    key: computed(() => `course/${this.course() ?? 'new'}`),
    draft: this.draft,
    version: this.version,
    isChanged: this.isChanged,
  });
  protected readonly problem = signal<string | null>(null);
  /** what somebody else saved meanwhile, beside mine */
  protected readonly newer = new NewerSaved<CourseView>({
    problem: this.problem,
    both: () => this.api.get(this.course()!).pipe(map((theirs) => ({ theirs, mine: this.tell(this.draft()!), saved: this.tell(theirs) }))),
    goOn: ({ version }) => this.version.set(version),
    take: (theirs) => {
      this.work.drop();
      this.fill(theirs, theirs.version);
    },
  });
  protected readonly opened = signal<number | null>(null);
  protected readonly saved = signal(false);
  protected readonly isBusy = signal(false);
  protected readonly said = signal('');
  protected readonly unitKinds = UNIT_KINDS;
  private nextKey = 1;
  private loadedId: string | null = null;
  protected readonly required = computed(
    () =>
      this.form()
        ?.sections.flatMap(({ units }) => units)
        .filter((unit) => unit.required).length ?? 0,
  );

  constructor() {
    effect(() => {
      const id = this.course();
      const view = this.view.data();
      if (!id) {
        if (!untracked(this.form)) untracked(() => this.begin());
      } else if (view && view.id === id && this.loadedId !== id) {
        this.loadedId = id;
        untracked(() => this.open(view));
      }
    });
  }

  protected nameOf(id: string | null): string | null {
    return id === null ? null : (this.names()[id] ?? this.view.data()?.owner?.name ?? '…');
  }

  private tell(course: CourseDraft | CourseView): Record<string, string> {
    const owner = 'owner' in course ? course.owner?.name : this.nameOf(course.ownerId);
    return tell(course, owner ?? 'nobody');
  }

  protected own(person: { id: string; name: string } | null): void {
    if (person) this.names.update((names) => ({ ...names, [person.id]: person.name }));
    this.form.update((form) => form && { ...form, ownerId: person?.id ?? null });
    this.touch();
  }

  /** An owner of whom only the number is known, as of work found again. */
  private learnOwner(id: string | null): void {
    if (id === null || this.names()[id] || this.view.data()?.ownerId === id) return;
    this.people.person(id).subscribe({
      next: ({ person: { name } }) => this.names.update((names) => ({ ...names, [id]: name })),
      error: () => this.names.update((names) => ({ ...names, [id]: `person ${id}` })),
    });
  }

  private begin(): void {
    this.fill({ ...NEW_COURSE, ownerId: this.session.account()?.personId ?? null }, null);
    const kept = this.work.find('course/new');
    if (kept) this.form.set(this.formOf(kept.draft));
    this.learnOwner(this.form()!.ownerId);
  }

  /** Opens what is stored, and on it what was changed before and not saved. */
  private open(view: CourseView): void {
    this.fill(view, view.version);
    const kept = this.work.find(`course/${view.id}`);
    if (!kept) return;
    this.form.set(this.formOf(kept.draft, view));
    this.learnOwner(kept.draft.ownerId);
    this.version.set(kept.version);
  }

  private fill(course: CourseDraft | CourseView, version: number | null): void {
    this.form.set(this.formOf(course as CourseDraft, course as CourseView));
    this.version.set(version);
    this.before.set(JSON.stringify(draftOf(this.form()!)));
  }

  private formOf(draft: CourseDraft, view?: CourseView): CourseForm {
    const files = new Map(
      (view?.sections ?? []).flatMap(({ units }) => units.flatMap(({ file }) => (file ? [[file.id, file] as const] : []))),
    );
    return {
      title: draft.title,
      code: draft.code ?? '',
      summary: draft.summary ?? '',
      ownerId: draft.ownerId,
      validityMonths: draft.validityMonths,
      sections: draft.sections.map((section) => ({
        id: section.id,
        title: section.title,
        key: this.nextKey++,
        units: section.units.map((unit) => ({ ...unit, key: this.nextKey++, file: (unit.fileId && files.get(unit.fileId)) || null })),
      })),
    };
  }

  protected dropWork(): void {
    this.work.drop();
    const view = this.view.data();
    if (view) this.fill(view, view.version);
    else this.fill({ ...NEW_COURSE, ownerId: this.session.account()?.personId ?? null }, null);
  }

  private section(title: string): SectionForm {
    return { id: null, key: this.nextKey++, title, units: [] };
  }

  /** The form was changed in place: a new object tells everyone. */
  protected touch(): void {
    this.saved.set(false);
    this.form.update((form) => form && { ...form });
  }

  protected addSection(): void {
    this.form()!.sections.push(this.section(`Section ${this.form()!.sections.length + 1}`));
    this.touch();
  }

  protected removeSection(index: number): void {
    this.form()!.sections.splice(index, 1);
    this.touch();
  }

  protected addUnit(section: SectionForm, kind: UnitKind): void {
    const unit: UnitForm = {
      id: null,
      key: this.nextKey++,
      kind,
      title: `New ${unitKind(kind).words}`,
      required: true,
      body: unitKind(kind).starts.body ?? null,
      url: unitKind(kind).starts.url ?? null,
      fileId: null,
      file: null,
    };
    section.units.push(unit);
    this.opened.set(unit.key);
    this.touch();
  }

  protected removeUnit(section: SectionForm, index: number): void {
    section.units.splice(index, 1);
    this.touch();
  }

  protected drop(event: CdkDragDrop<SectionForm>): void {
    if (event.previousContainer === event.container) moveItemInArray(event.container.data.units, event.previousIndex, event.currentIndex);
    else transferArrayItem(event.previousContainer.data.units, event.container.data.units, event.previousIndex, event.currentIndex);
    this.touch();
  }

  /** Order by keyboard: up and down, over the edge of a section too. */
  protected move(sectionIndex: number, index: number, step: -1 | 1, event: Event): void {
    event.preventDefault();
    const { sections } = this.form()!;
    const from = sections[sectionIndex]!.units;
    const unit = from[index]!;
    const target = index + step;
    if (target >= 0 && target < from.length) moveItemInArray(from, index, target);
    else {
      const other = sections[sectionIndex + step];
      if (!other) return;
      transferArrayItem(from, other.units, index, step === -1 ? other.units.length : 0);
    }
    this.touch();
    this.said.set(`${unit.title} moved ${step === -1 ? 'up' : 'down'}`);
    setTimeout(() => document.getElementById(`grip-${unit.key}`)?.focus());
  }

  protected upload(unit: UnitForm, file: File | undefined): void {
    if (!file) return;
    this.problem.set(null);
    this.api.upload(file).subscribe({
      next: (stored) => {
        unit.file = stored;
        unit.fileId = stored.id;
        if (unit.title === 'New file') unit.title = file.name.replace(/\.\w+$/, '');
        this.touch();
      },
      error: (error: unknown) => this.problem.set(sentenceOf(error)),
    });
  }

  protected save(): void {
    const draft = this.draft()!;
    const id = this.course();
    const version = this.version();
    this.isBusy.set(true);
    this.problem.set(null);
    const request: Observable<CourseView | { id: string }> = id
      ? this.api.change(id, { ...draft, version: version! })
      : this.api.add(draft);
    request.subscribe({
      next: (answer) => {
        this.isBusy.set(false);
        this.saved.set(true);
        this.work.drop();
        if (id) this.fill(answer as CourseView, (answer as CourseView).version);
        else {
          this.before.set(JSON.stringify(draft));
          void this.router.navigate(['/courses', answer.id]);
        }
      },
      error: (error: unknown) => {
        this.isBusy.set(false);
        this.newer.refused(error);
      },
    });
  }
}

const NEW_COURSE: CourseDraft = {
  title: '',
  code: null,
  summary: null,
  ownerId: null,
  validityMonths: 12,
  sections: [
    { id: null, title: 'First section', units: [] },
    { id: null, title: 'Second section', units: [] },
  ],
};

/** The form as it is sent. */
function draftOf(form: CourseForm): CourseDraft {
  return {
    title: form.title,
    code: form.code || null,
    summary: form.summary || null,
    ownerId: form.ownerId,
    validityMonths: form.validityMonths || null,
    sections: form.sections.map(({ id, title, units }) => ({
      id,
      title,
      units: units.map((unit) => ({
        id: unit.id,
        kind: unit.kind,
        title: unit.title,
        required: unit.required,
        body: unit.body,
        url: unit.url,
        fileId: unit.fileId,
      })),
    })),
  };
}

/** A course in words, field by field, for comparing two. */
function tell(course: CourseDraft | CourseView, owner: string): Record<string, string> {
  const words: Record<string, string> = {
    Title: course.title,
    Code: course.code ?? '',
    Summary: course.summary ?? '',
    Owner: owner,
    'Certificate valid': course.validityMonths ? `${course.validityMonths} months` : 'no expiry',
  };
  course.sections.forEach((section, i) => {
    words[`Section ${i + 1}`] = [
      section.title,
      ...section.units.map((unit) => `· ${unit.title}${unit.required ? '' : ' (optional)'}`),
    ].join('\n');
  });
  return words;
}
