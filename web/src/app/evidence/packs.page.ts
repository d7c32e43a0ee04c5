import { ChangeDetectionStrategy, Component, computed, effect, inject, input, signal, untracked } from '@angular/core';
import { toObservable, toSignal } from '@angular/core/rxjs-interop';
import { FormsModule } from '@angular/forms';
import { Router } from '@angular/router';
import { PackRequest, type PackMade } from '@nudrik/contract';
import { tellAmount, tellBytes } from '@nudrik/core';
import { catchError, finalize, map, of } from 'rxjs';
import { CoursesApi } from '../courses/courses.api.ts';
import { PersonPick } from '../people/person-pick.ts';
import { RequirementsApi } from '../requirements/requirements.api.ts';
import { download } from '../shared/download.ts';
import { load } from '../shared/loaded.ts';
import { MomentPipe } from '../shared/moment.pipe.ts';
import { DateField } from '../shared/pick/date-field.ts';
import { SelectField, type Choice } from '../shared/pick/select.ts';
import { sentenceOf } from '../shared/refusal.ts';
import { EvidenceApi } from './evidence.api.ts';
import { EvidenceViews } from './evidence-views.ts';

const KINDS: Choice[] = [
  { value: 'person', label: 'a person' },
  { value: 'course', label: 'a course' },
  { value: 'requirement', label: 'a requirement' },
  { value: 'period', label: 'everything of a time' },
];

/** Evidence to be handed over: what it is about is in the address, what would be in it is seen before it is made. */
@Component({
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [DateField, EvidenceViews, FormsModule, MomentPipe, PersonPick, SelectField],
  templateUrl: './packs.page.html',
  styles: `
    .ask { max-width: 900px; }
    .about { display: flex; gap: 14px; flex-wrap: wrap; align-items: end; }
    .about .field { margin: 0 0 6px; min-width: 150px; }
    .about .who { flex: 1 1 240px; max-width: 380px; }
    .about nk-select { display: block; }
    .would { border: 1px solid var(--rule); background: var(--sheet); padding: 14px 18px; margin: 10px 0 18px; }
    .counts { display: flex; gap: 18px; flex-wrap: wrap; margin: 6px 0 12px; }
    .hash { font-family: var(--mono, ui-monospace, monospace); font-size: 12px; overflow-wrap: anywhere; min-width: 220px; }
    .key { margin-top: 24px; max-width: 760px; }
    .check { display: inline-flex; gap: 8px; align-items: center; }
    h2 { margin-top: 26px; }
  `,
})
export class PacksPage {
  private readonly api = inject(EvidenceApi);
  private readonly router = inject(Router);
  /** what it is about: person, course, requirement, period */
  readonly of = input<string>();
  readonly id = input<string>();
  readonly from = input<string>();
  readonly to = input<string>();
  /** the list of messages alone */
  readonly bare = input<string>();
  protected readonly kinds = KINDS;
  protected readonly kind = computed(() => (KINDS.some(({ value }) => value === this.of()) ? this.of()! : 'person'));
  protected readonly request = computed((): PackRequest | null => {
    const kind = this.kind();
    const read = PackRequest.safeParse({
      of: kind === 'period' ? { kind } : { kind, id: this.id() },
      from: this.from() ?? null,
      to: this.to() ?? null,
      withMessages: !this.bare(),
    });
    return read.success ? read.data : null;
  });
  protected readonly preview = load(toObservable(this.request), (request) => this.api.preview(request));
  protected readonly packs = load(of(true), () => this.api.packs(), ['jobs']);
  protected readonly counts = computed(() => {
    const found = this.preview.data();
    if (!found) return [];
    const told = (count: number, what: string): { count: number; words: string } => ({ count, words: tellAmount(count, what).replace(/^\S+ /, '') });
    return [told(found.people, 'people'), told(found.assignments, 'assignments'), told(found.notices, 'notices'), told(found.messages, 'messages'), told(found.certificates, 'certificates'), told(found.signOffs, 'sign-offs'), { count: found.acts, words: found.acts === 1 ? 'act by hand' : 'acts by hand' }];
  }); // prettier-ignore
  protected readonly isMaking = signal(false);
  protected readonly problem = signal<string | null>(null);
  protected readonly made = signal<PackMade | null>(null);
  protected readonly amount = tellAmount;
  protected readonly size = tellBytes;
  protected readonly courses = toSignal(
    inject(CoursesApi)
      .list()
      .pipe(
        map((list) => list.filter(({ state }) => state !== 'draft').map(({ id, title }): Choice => ({ value: id, label: title }))),
        catchError(() => of([])),
      ),
    { initialValue: [] },
  );
  protected readonly requirements = toSignal(
    inject(RequirementsApi)
      .list()
      .pipe(
        map((list) => list.map(({ id, name }): Choice => ({ value: id, label: name }))),
        catchError(() => of([])),
      ),
    { initialValue: [] },
  );

  constructor() {
    // another question: what was made answers the former one
    effect(() => {
      this.request();
      untracked(() => {
        this.made.set(null);
        this.problem.set(null);
      });
    });
  }

  protected filter(change: Record<string, string | null>): void {
    void this.router.navigate([], { queryParams: change, queryParamsHandling: 'merge', replaceUrl: true });
  }

  protected make(): void {
    const request = this.request();
    if (!request || this.isMaking()) return;
    this.isMaking.set(true);
    this.problem.set(null);
    this.made.set(null);
    this.api
      .make(request)
      .pipe(finalize(() => this.isMaking.set(false)))
      .subscribe({
        next: (made) => {
          this.made.set(made);
          this.packs.reload();
          download(made.href);
        },
        error: (error: unknown) => this.problem.set(sentenceOf(error)),
      });
  }
}
