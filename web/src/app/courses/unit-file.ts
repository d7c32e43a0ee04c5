import { ChangeDetectionStrategy, Component, computed, inject, input, signal } from '@angular/core';
import { toObservable, toSignal } from '@angular/core/rxjs-interop';
import { FormsModule } from '@angular/forms';
import type { FormerFile } from '@nudrik/contract';
import { catchError, map, of, switchMap } from 'rxjs';
import { FILE_KINDS, FILE_WORDS, tellBytes, tellSeconds, type Video } from '@nudrik/core';
import { NumberField } from '../shared/pick/number-field.ts';
import { MomentPipe } from '../shared/moment.pipe.ts';
import type { UnitForm } from './course-form.ts';
import { CoursesApi } from './courses.api.ts';
import { CourseStore } from './course.store.ts';
import { CourseUploads, tellSent } from './course-uploads.ts';

/** The file of a unit: given, on its way, there, put in its place; and what a video asks for beside it. */
@Component({
  selector: 'nk-unit-file',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [FormsModule, MomentPipe, NumberField],
  templateUrl: './unit-file.html',
  styles: `
    .drop { border: 1px dashed var(--rule-strong); border-radius: 2px; padding: 14px; margin-top: 12px; background: var(--sheet); }
    .drop.over { border-color: var(--plum); background: var(--plum-wash); }
    .drop p + p { margin-top: 6px; }
    .limits { font-size: 13px; margin-left: 8px; }
    p > .limits:first-child, p.limits { margin-left: 0; }
    progress { width: 100%; accent-color: var(--plum); }
    .file { display: flex; gap: 12px; align-items: baseline; flex-wrap: wrap; }
    .file a { font-weight: 600; overflow-wrap: anywhere; }
    video { width: 100%; max-height: 260px; background: #000; margin-top: 12px; }
    .share { display: flex; gap: 8px; align-items: center; margin-top: 12px; }
    .captions { display: flex; gap: 10px; align-items: center; margin-top: 6px; }
    .captions input { width: 76px; }
  `,
})
export class UnitFile {
  private readonly api = inject(CoursesApi);
  protected readonly store = inject(CourseStore);
  protected readonly uploads = inject(CourseUploads);
  readonly unit = input.required<UnitForm>();
  readonly isOff = input(false);
  protected readonly isOver = signal(false);
  protected readonly line = computed(() => this.uploads.going().find(({ unit }) => unit === this.unit().key) ?? null);
  protected readonly said = computed(() => this.uploads.said()[this.unit().key] ?? null);
  protected readonly limits = FILE_WORDS;
  protected readonly accept = computed(() => {
    const kind = this.unit().kind;
    return Object.values(FILE_KINDS)
      .filter(({ makes }) => kind === 'file' || makes === kind)
      .flatMap(({ endings }) => endings.map((ending) => `.${ending}`))
      .join();
  });
  protected readonly about = computed(() => {
    const file = this.unit().file;
    if (!file) return '';
    const { about, bytes, type } = file;
    const seconds = this.unit().video?.seconds;
    return [
      FILE_KINDS[type]?.words.replace(/^an? /, ''),
      about.pages && `${about.pages} ${about.pages === 1 ? 'page' : 'pages'}`,
      about.package && `SCORM ${about.package.edition}, ${about.package.files} files`,
      seconds && tellSeconds(seconds),
      tellBytes(bytes),
    ]
      .filter(Boolean)
      .join(', ');
  });
  protected readonly tellSent = tellSent;
  private readonly named = computed(() => ({ course: this.store.id(), unit: this.unit().id, file: this.unit().fileId }));
  /** files that it had before, of what was published */
  protected readonly former = toSignal(
    toObservable(this.named).pipe(
      switchMap(({ course, unit, file }) =>
        course === null || unit.startsWith('new-') || file === null
          ? of<FormerFile[]>([])
          : this.api.formerFiles(course, unit).pipe(
              map((list) => list.filter(({ id }) => id !== file)),
              catchError(() => of<FormerFile[]>([])),
            ),
      ),
    ),
    { initialValue: [] },
  );

  protected take(files: FileList | null | undefined): void {
    const file = files?.[0];
    if (file) this.uploads.into(this.unit().key, file);
  }

  protected drop(event: DragEvent): void {
    event.preventDefault();
    this.isOver.set(false);
    if (!this.isOff()) this.take(event.dataTransfer?.files);
  }

  protected over(event: DragEvent, isOver: boolean): void {
    event.preventDefault();
    this.isOver.set(isOver && !this.isOff());
  }

  protected setVideo(change: Partial<Video>): void {
    this.store.setUnit(this.unit().key, { video: { ...this.unit().video!, ...change } });
  }

  protected clamp(percent: number | null): number {
    return Math.min(100, Math.max(1, Math.round(percent ?? 90)));
  }

  /** How long it is, where the device that gave it could not tell. */
  protected measure(seconds: number): void {
    const { video } = this.unit();
    if (!this.isOff() && video && Number.isFinite(seconds) && Math.abs((video.seconds ?? 0) - seconds) > 0.5) this.setVideo({ seconds });
  }

  protected setLanguage(fileId: string, language: string): void {
    this.setVideo({ captions: this.unit().video!.captions.map((one) => (one.fileId === fileId ? { fileId, language } : one)) });
  }

  protected removeCaptions(fileId: string): void {
    this.setVideo({ captions: this.unit().video!.captions.filter((one) => one.fileId !== fileId) });
  }
}
