import { ChangeDetectionStrategy, Component, computed, inject, input, signal } from '@angular/core';
import { toObservable, toSignal } from '@angular/core/rxjs-interop';
import { FormsModule } from '@angular/forms';
import { Router, RouterLink } from '@angular/router';
import { catchError, debounceTime, of } from 'rxjs';
import type { CertificateRow, CertificatesFilter } from '@nudrik/contract';
import { CERTIFICATE_STATES, tellAmount } from '@nudrik/core';
import { SessionStore } from '../access/session.store.ts';
import { CoursesApi } from '../courses/courses.api.ts';
import { download } from '../shared/download.ts';
import { load } from '../shared/loaded.ts';
import { DayPipe, MomentPipe } from '../shared/moment.pipe.ts';
import { paramsOf } from '../shared/params.ts';
import { sentenceOf } from '../shared/refusal.ts';
import { SelectField, wordsOf, type Choice } from '../shared/pick/select.ts';
import { State } from '../shared/state.ts';
import { CertificatesTabs } from './certificates-tabs.ts';
import { CertificatesApi } from './certificates.api.ts';

const SIZE = 60;

/** The register: every certificate, whose, for what, until when. */
@Component({
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [CertificatesTabs, FormsModule, RouterLink, DayPipe, MomentPipe, SelectField, State],
  templateUrl: './certificates.page.html',
})
export class CertificatesPage {
  private readonly api = inject(CertificatesApi);
  private readonly router = inject(Router);
  protected readonly session = inject(SessionStore);
  readonly find = input<string>();
  readonly state = input<string>();
  readonly course = input<string>();
  readonly person = input<string>();
  readonly page = input<string>();
  protected readonly states: Choice[] = [{ value: '', label: 'any' }, ...wordsOf(CERTIFICATE_STATES)];
  protected readonly size = SIZE;
  protected readonly pageNumber = computed(() => Number(this.page() ?? 0));
  private readonly query = computed(() =>
    paramsOf({ find: this.find(), state: this.state(), course: this.course(), person: this.person(), page: this.pageNumber(), size: SIZE }),
  );
  protected readonly list = load(toObservable(this.query).pipe(debounceTime(30)), (params) => this.api.list(params), [
    'assignments',
    'clock',
  ]);

  private readonly known = toSignal(
    inject(CoursesApi)
      .list()
      .pipe(catchError(() => of([]))),
    { initialValue: [] },
  );
  protected readonly courses = computed((): Choice[] => [
    { value: '', label: 'any' },
    ...this.known().map(({ id, title }) => ({ value: id, label: title })),
  ]);

  /** what is being done to which certificate */
  protected readonly doing = signal<{ serial: string; act: 'revoke' | 'reissue' } | null>(null);
  protected readonly problem = signal<string | null>(null);
  protected readonly told = signal<string | null>(null);
  protected reason = '';
  protected readonly chosen = signal<ReadonlySet<string>>(new Set());
  protected readonly isMaking = signal(false);
  protected readonly isAll = computed(() => {
    const rows = this.list.data()?.rows ?? [];
    return rows.length > 0 && rows.every(({ serial }) => this.chosen().has(serial));
  });
  protected readonly amount = tellAmount;
  protected readonly none: ReadonlySet<string> = new Set();

  protected ask(serial: string | null, act: 'revoke' | 'reissue' = 'revoke'): void {
    const now = this.doing();
    this.doing.set(serial === null || (now?.serial === serial && now.act === act) ? null : { serial, act });
    const isRenamed = this.list.data()?.rows.find((row) => row.serial === serial)?.nameNow != null;
    this.reason = act === 'reissue' && isRenamed ? 'The name changed' : '';
    this.problem.set(null);
  }

  protected choose(serial: string): void {
    const chosen = new Set(this.chosen());
    if (!chosen.delete(serial)) chosen.add(serial);
    this.chosen.set(chosen);
  }

  /** All of this page, or none of it. */
  protected chooseAll(): void {
    const chosen = new Set(this.chosen());
    const isAll = this.isAll();
    for (const { serial } of this.list.data()?.rows ?? []) {
      if (isAll) chosen.delete(serial);
      else chosen.add(serial);
    }
    this.chosen.set(chosen);
  }

  /** What is chosen, or else all that fits, as a file. */
  protected make(as: 'pdf' | 'zip'): void {
    const chosen = [...this.chosen()];
    const { find, state, course, person } = {
      find: this.find(),
      state: this.state() ?? 'all',
      course: this.course(),
      person: this.person(),
    };
    const filter = { ...(find ? { find } : {}), ...(course ? { course } : {}), ...(person ? { person } : {}), state } as CertificatesFilter;
    this.isMaking.set(true);
    this.told.set(null);
    this.problem.set(null);
    this.api.file({ as, serials: chosen.length > 0 ? chosen : null, filter: chosen.length > 0 ? null : filter }).subscribe({
      next: ({ href, name, count, left }) => {
        this.isMaking.set(false);
        this.told.set(
          `${name}: ${tellAmount(count, 'certificates')}${left > 0 ? `; ${tellAmount(left, 'certificates')} that others issued are not in it` : ''}.`,
        );
        download(href);
      },
      error: (error: unknown) => {
        this.isMaking.set(false);
        this.problem.set(sentenceOf(error));
      },
    });
  }

  protected act(row: CertificateRow): void {
    const { act, serial } = this.doing()!;
    const reason = this.reason.trim();
    const done = (words: string): void => {
      this.ask(null);
      this.told.set(words);
      this.list.reload();
    };
    const error = (problem: unknown): void => this.problem.set(sentenceOf(problem));
    if (act === 'revoke')
      this.api.revoke(serial, reason).subscribe({
        next: () =>
          done(`The certificate of ${row.person.name} for ${row.course.title} is revoked; what it was good for is asked for again.`),
        error,
      });
    else
      this.api.reissue(serial, reason).subscribe({
        next: (issued) => done(`The certificate of ${row.nameNow ?? row.person.name} for ${row.course.title} is issued again as ${issued.serial}; ${serial} says that it was replaced.`), // prettier-ignore
        error,
      });
  }

  protected endShown(row: CertificateRow): void {
    this.api.endShown(row.serial).subscribe({
      next: () => {
        this.told.set(`Nobody is shown the certificate of ${row.person.name} by its link any more.`);
        this.list.reload();
      },
      error: (error: unknown) => this.problem.set(sentenceOf(error)),
    });
  }

  protected filter(params: Record<string, string | number | null>): void {
    this.chosen.set(new Set());
    void this.router.navigate([], { queryParams: { page: null, ...params }, queryParamsHandling: 'merge' });
  }
}
