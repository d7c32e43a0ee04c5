import { computed, inject, Injectable, signal } from '@angular/core';
import { takeUntilDestroyed } from '@angular/core/rxjs-interop';
import type { StoredFile } from '@nudrik/contract';
import { FILE_KINDS, tellBytes, titleOfFile, type UnitKind, type Video } from '@nudrik/core';
import { catchError, EMPTY, finalize, forkJoin, last, map, mergeMap, of, Subject, switchMap, takeUntil, tap, type Observable } from 'rxjs'; // prettier-ignore
import { FilesApi, uploadFault } from '../files/files.api.ts';
import { sentenceOf } from '../shared/refusal.ts';
import { asKind, newUnit, type UnitForm } from './course-form.ts';
import { CourseStore } from './course.store.ts';

/** One file on its way into a unit. */
export interface UploadLine {
  unit: string;
  name: string;
  bytes: number;
  sent: number;
  /** the server does not answer; it goes on when it does */
  isCutOff: boolean;
  /** it is here, and is looked at, turned into a page or a PDF */
  doing: string | null;
}

/** Files that come at once; the others wait. */
const AT_ONCE = 3;

/** Files on their way into the units of the course that is open. */
@Injectable()
export class CourseUploads {
  private readonly api = inject(FilesApi);
  private readonly store = inject(CourseStore);
  private readonly lines = signal<readonly UploadLine[]>([]);
  readonly going = this.lines.asReadonly();
  readonly isGoing = computed(() => this.lines().length > 0);
  /** what is to be said of the file of a unit, by its key: a refusal, or what was done with it */
  readonly said = signal<Readonly<Record<string, { words: string; isFault: boolean }>>>({});
  private readonly queue = new Subject<{ unit: string; file: File }>();
  private readonly stopped = new Subject<string>();

  constructor() {
    this.queue.pipe(mergeMap(({ unit, file }) => this.bring(unit, file), AT_ONCE), takeUntilDestroyed()).subscribe(); // prettier-ignore
  }

  lineOf(unit: string): UploadLine | null {
    return this.lines().find((line) => line.unit === unit) ?? null;
  }

  stop(unit: string): void {
    this.stopped.next(unit);
    this.lines.update((lines) => lines.filter((line) => line.unit !== unit));
  }

  /** Sends a file into a unit; one that is on its way there already is stopped. */
  into(unit: string, file: File): void {
    this.stop(unit);
    this.say(unit, null);
    this.lines.update((lines) => [...lines, { unit, name: file.name, bytes: file.size, sent: 0, isCutOff: false, doing: null }]);
    this.queue.next({ unit, file });
  }

  /** Several files become units of a section, in their order. */
  intoSection(section: string, files: readonly File[]): void {
    const made = files.map((file) => ({ file, unit: newUnit('file', titleOfFile(file.name)) }));
    this.store.edit(`drop ${Date.now()}`, (form) => ({ ...form, sections: form.sections.map((one) => (one.key === section ? { ...one, units: [...one.units, ...made.map(({ unit }) => unit)] } : one)) })); // prettier-ignore
    for (const { file, unit } of made) this.into(unit.key, file);
  }

  private say(unit: string, said: { words: string; isFault: boolean } | null): void {
    this.said.update(({ [unit]: _, ...rest }) => (said ? { ...rest, [unit]: said } : rest));
  }

  private set(unit: string, change: Partial<UploadLine>): void {
    this.lines.update((lines) => lines.map((line) => (line.unit === unit ? { ...line, ...change } : line)));
  }

  private bring(unit: string, file: File): Observable<unknown> {
    if (this.lineOf(unit)?.name !== file.name) return EMPTY;
    return this.api.upload(file).pipe(
      tap((coming) => {
        if ('sent' in coming) this.set(unit, { isCutOff: coming.isCutOff, ...(coming.sent >= 0 && { sent: coming.sent, doing: coming.sent === file.size ? 'is looked at' : null }) }); // prettier-ignore
      }),
      last(),
      switchMap((coming) => ('file' in coming ? this.place(unit, coming.file, file) : EMPTY)),
      takeUntil(this.stopped.pipe(mergeMap((one) => (one === unit ? of(one) : EMPTY)))),
      catchError((error: unknown) => {
        this.say(unit, { words: uploadFault(error, file.name) ?? (error instanceof Error && !('status' in error) ? error.message : sentenceOf(error)), isFault: true }); // prettier-ignore
        return EMPTY;
      }),
      finalize(() => this.lines.update((lines) => lines.filter((line) => line.unit !== unit || line.name !== file.name))),
    );
  }

  /** Puts a file where it belongs by what it is: into the unit, as its page, its video, its package, its captions. */
  private place(key: string, stored: StoredFile, file: File): Observable<unknown> {
    const kind = FILE_KINDS[stored.type];
    const unit = this.unit(key);
    if (!unit || !kind) return EMPTY;
    switch (kind.as) {
      case 'page':
        this.set(key, { doing: 'is turned into a page' });
        return this.api.page(stored.id).pipe(
          tap(({ html, left }) => {
            this.change(key, (now) => ({ ...asKind(now, 'page'), body: html, title: now.title || titleOfFile(stored.name) }));
            this.say(key, { words: [`${stored.name} is a page now; Undo takes that back.`, ...left].join(' '), isFault: false });
          }),
        );
      case 'pdf':
        this.attach(key, stored, 'file');
        return this.api.means().pipe(
          switchMap(({ canConvert }) => {
            if (!canConvert) {
              this.say(key, { words: `${stored.name} is offered as a download: LibreOffice is not installed on the server, so that it cannot be shown in the page. Save it as PDF to have it shown.`, isFault: false }); // prettier-ignore
              return EMPTY;
            }
            this.set(key, { doing: 'is turned into a PDF' });
            return this.api.pdf(stored.id).pipe(
              tap((pdf) => {
                this.attach(key, pdf, 'file');
                this.say(key, { words: `${stored.name} is shown as a PDF of ${pdf.about.pages ?? 1} pages.`, isFault: false });
              }),
            );
          }),
        );
      case 'captions':
        if (unit.kind !== 'video') {
          this.say(key, {
            words: `${stored.name} are captions, which belong to a video. Open a video and give them there.`,
            isFault: true,
          });
          return EMPTY;
        }
        this.change(key, (now) => ({ ...now, video: withCaptions(now.video!, stored) }));
        return of(stored);
      case 'played':
        return forkJoin([this.api.seconds(file)]).pipe(
          map(([seconds]) => {
            this.attach(key, stored, 'video');
            this.change(key, (now) => ({ ...now, video: { ...now.video!, seconds } }));
          }),
        );
      default:
        this.attach(key, stored, kind.makes ?? 'file');
        return of(stored);
    }
  }

  private unit(key: string): UnitForm | null {
    return this.store.units().find((unit) => unit.key === key) ?? null;
  }

  private change(key: string, change: (unit: UnitForm) => UnitForm): void {
    const unit = this.unit(key);
    if (unit) this.store.setUnit(key, change(unit));
  }

  /** The unit stays what it is to those who did it: its place, its title, its id. */
  private attach(key: string, stored: StoredFile, kind: UnitKind): void {
    this.change(key, (unit) => ({ ...(unit.kind === kind ? unit : asKind(unit, kind)), fileId: stored.id, file: stored, title: unit.title.trim() === '' ? titleOfFile(stored.name) : unit.title })); // prettier-ignore
  }
}

/** Captions in one more language, by the name of their file: `drill.nb.vtt`. */
function withCaptions(video: Video, stored: StoredFile): Video {
  const [, named] = /\.([a-z]{2,3}(?:-[A-Za-z]{2,4})?)\.vtt$/i.exec(stored.name) ?? [];
  const language = named ?? ['en', 'nb', 'de', 'fr', 'es'].find((one) => !video.captions.some(({ language: other }) => other === one)) ?? 'en'; // prettier-ignore
  return { ...video, captions: [...video.captions.filter((one) => one.language !== language), { fileId: stored.id, language }] };
}

/** "4.2 of 18 MB" */
export const tellSent = ({ sent, bytes }: UploadLine): string => `${tellBytes(sent)} of ${tellBytes(bytes)}`;
