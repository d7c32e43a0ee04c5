import {
  CdkDrag,
  CdkDragHandle,
  CdkDropList,
  CdkDropListGroup,
  moveItemInArray,
  transferArrayItem,
  type CdkDragDrop,
} from '@angular/cdk/drag-drop';
import { HttpClient } from '@angular/common/http';
import { ChangeDetectionStrategy, Component, computed, effect, inject, input, signal, untracked } from '@angular/core';
import { toObservable, toSignal } from '@angular/core/rxjs-interop';
import { FormsModule } from '@angular/forms';
import { Router, RouterLink } from '@angular/router';
import type { CourseView, PeoplePage, UnitView } from '@nudrik/contract';
import { catchError, map, of } from 'rxjs';
import { SessionStore } from '../access/session.store.ts';
import { load } from '../shared/loaded.ts';
import { sentenceOf } from '../shared/refusal.ts';
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
  imports: [FormsModule, RouterLink, CdkDropListGroup, CdkDropList, CdkDrag, CdkDragHandle, PageEditor],
  templateUrl: './course.page.html',
  styleUrl: './course.page.css',
})
export class CoursePage {
  private readonly http = inject(HttpClient);
  private readonly router = inject(Router);
  protected readonly session = inject(SessionStore);
  readonly course = input<string>();
  protected readonly view = load(toObservable(this.course), (id) => this.http.get<CourseView>(`/api/courses/${id}`));
  protected readonly owners = toSignal(this.http.get<PeoplePage>('/api/people', { params: { find: 'train', size: 50 } }).pipe(map((page) => page.rows), catchError(() => of([]))), { initialValue: [] }); // prettier-ignore
  protected readonly form = signal<CourseForm | null>(null);
  protected readonly opened = signal<number | null>(null);
  protected readonly problem = signal<string | null>(null);
  protected readonly saved = signal(false);
  protected readonly isBusy = signal(false);
  protected readonly said = signal('');
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
        if (!untracked(this.form))
          this.form.set({
            title: '',
            code: '',
            summary: '',
            ownerId: untracked(this.session.account)?.personId ?? null,
            validityMonths: 12,
            sections: [this.section('First section'), this.section('Second section')],
          });
      } else if (view && view.id === id && this.loadedId !== id) {
        this.loadedId = id;
        this.fill(view);
      }
    });
  }

  private fill(view: CourseView): void {
    this.form.set({
      title: view.title, code: view.code ?? '', summary: view.summary ?? '', ownerId: view.ownerId, validityMonths: view.validityMonths,
      sections: view.sections.map((section) => ({ ...section, key: this.nextKey++, units: section.units.map((unit) => ({ ...unit, key: this.nextKey++ })) })),
    }); // prettier-ignore
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

  protected addUnit(section: SectionForm, kind: 'page' | 'link' | 'file'): void {
    const unit: UnitForm = {
      id: null,
      key: this.nextKey++,
      kind,
      title: { page: 'New page', link: 'New link', file: 'New file' }[kind],
      required: true,
      body: kind === 'page' ? '' : null,
      url: kind === 'link' ? 'https://' : null,
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
    this.http
      .post<{ id: string; name: string; bytes: number }>('/api/files', file, {
        params: { name: file.name, type: file.type || 'application/octet-stream' },
        headers: { 'content-type': 'application/octet-stream' },
      })
      .subscribe({
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
    const form = this.form()!;
    this.isBusy.set(true);
    this.problem.set(null);
    const draft = {
      title: form.title, code: form.code || null, summary: form.summary || null, ownerId: form.ownerId, validityMonths: form.validityMonths || null,
      sections: form.sections.map(({ id, title, units }) => ({ id, title, units: units.map(({ id: unitId, kind, title: unitTitle, required, body, url, fileId }) => ({ id: unitId, kind, title: unitTitle, required, body, url, fileId })) })),
    }; // prettier-ignore
    const id = this.course();
    const request = id ? this.http.put<CourseView>(`/api/courses/${id}`, draft) : this.http.post<{ id: string }>('/api/courses', draft);
    request.subscribe({
      next: (answer) => {
        this.isBusy.set(false);
        this.saved.set(true);
        if (id) this.fill(answer as CourseView);
        else void this.router.navigate(['/courses', answer.id]);
      },
      error: (error: unknown) => {
        this.isBusy.set(false);
        this.problem.set(sentenceOf(error));
      },
    });
  }
}
