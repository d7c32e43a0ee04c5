import { ChangeDetectionStrategy, Component, computed, effect, inject, input, signal, untracked } from '@angular/core';
import { toObservable } from '@angular/core/rxjs-interop';
import { FormsModule } from '@angular/forms';
import { debounceTime } from 'rxjs';
import type { SignOffEntryDraft, SignOffForeseen, SignOffPerson } from '@nudrik/contract';
import { OUTCOME_WORDS, signedOutcome, tellList, type SignOffOutcome } from '@nudrik/core';
import { newKey } from '../shared/key.ts';
import { load } from '../shared/loaded.ts';
import { DayPipe, MomentPipe } from '../shared/moment.pipe.ts';
import { DateField } from '../shared/pick/date-field.ts';
import { sentenceOf } from '../shared/refusal.ts';
import { SignOffsApi } from './sign-offs.api.ts';

type Entry = Pick<SignOffEntryDraft, 'attended' | 'met' | 'remarks'>;
/** What is kept on the device until it has gone through. */
interface Kept {
  key: string;
  on: string;
  place: string;
  entries: [string, Entry][];
}

const storage = (): Storage | null => {
  try {
    return localStorage;
  } catch {
    return null; // a browser that keeps nothing
  }
};

/**
 * A supervisor's list, for a phone in the hand: who attended, what was met. What is entered is kept on the device until it has gone
 * through; before it goes, it is said exactly who gets which message.
 */
@Component({
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [DateField, DayPipe, FormsModule, MomentPipe],
  templateUrl: './sign-off.page.html',
  styleUrl: './sign-off.page.css',
})
export class SignOffPage {
  private readonly api = inject(SignOffsApi);
  /** by link; or by account, with course and unit */
  readonly link = input<string>();
  readonly course = input<string>();
  readonly unit = input<string>();
  /** of a unit with sessions: which one */
  readonly session = input<string>();
  private readonly base = computed(() => {
    const link = this.link();
    return link ? `sign-off/${link}` : `my-sign-offs/${this.course()}/${this.unit()}`;
  });
  /** of a large course only some are listed: the others are found by name */
  protected readonly find = signal('');
  protected readonly view = load(
    toObservable(computed(() => ({ base: this.base(), session: this.session() ?? null, find: this.find().trim() }))).pipe(
      debounceTime(200),
    ),
    ({ base, session, find }) => this.api.view(base, session, find),
  );
  protected readonly entries = signal<ReadonlyMap<string, Entry>>(new Map());
  protected readonly on = signal('');
  protected readonly place = signal('');
  private readonly key = signal(newKey());
  private readonly opened = signal<ReadonlySet<string>>(new Set());
  protected readonly words = OUTCOME_WORDS;
  protected readonly isBusy = signal(false);
  protected readonly kept = signal(false);
  protected readonly problem = signal<string | null>(null);
  protected readonly done = signal<string | null>(null);
  protected readonly foreseen = signal<SignOffForeseen[] | null>(null);
  protected readonly count = computed(() => this.entries().size);
  private readonly shelf = computed(() => `nudrik.sign-off.${this.base()}${this.session() ? `/${this.session()}` : ''}`);
  private readonly isFound = signal(false);

  constructor() {
    effect(() => {
      const seen = this.view.data();
      if (seen && !untracked(this.isFound)) untracked(() => this.findKept(seen.today));
    });
    effect(() => {
      const kept: Kept = { key: this.key(), on: this.on(), place: this.place(), entries: [...this.entries()] };
      if (!untracked(this.isFound)) return;
      if (kept.entries.length > 0) storage()?.setItem(untracked(this.shelf), JSON.stringify(kept));
      else storage()?.removeItem(untracked(this.shelf));
    });
  }

  /** What was entered here before and has not gone through. */
  private findKept(today: string): void {
    const led = this.view.data()!.session;
    this.on.set(led ? led.on : today);
    if (led?.place) this.place.set(led.place);
    const text = storage()?.getItem(this.shelf());
    if (text)
      try {
        const { key, on, place, entries } = JSON.parse(text) as Kept;
        this.key.set(key);
        this.on.set(on);
        this.place.set(place);
        const known = new Set(this.view.data()!.people.map(({ assignmentId }) => assignmentId));
        this.entries.set(new Map(entries.filter(([id]) => this.view.data()!.more > 0 || known.has(id))));
        this.kept.set(this.entries().size > 0);
      } catch {
        // nothing that can be read
      }
    this.isFound.set(true);
  }

  protected outcomeOf(id: string): SignOffOutcome | null {
    const entry = this.entries().get(id);
    return entry ? signedOutcome(this.view.data()!, entry) : null;
  }

  /** Beside whom there is something to tick or to say; whoever met everything takes one line. */
  protected isOpen(id: string): boolean {
    const entry = this.entries().get(id);
    return (
      this.opened().has(id) ||
      entry?.remarks != null ||
      this.outcomeOf(id) !== 'met' ||
      entry!.met.length < this.view.data()!.criteria.length
    );
  }

  protected open(id: string): void {
    this.opened.set(new Set(this.opened()).add(id));
  }

  protected recordOf({ assignmentId }: SignOffPerson): string {
    const link = this.link();
    return link ? `/api/sign-off/${link}/records/${assignmentId}` : `/api/sign-off-records/${assignmentId}/${this.unit()}`;
  }

  private put(id: string, entry: Entry): void {
    this.foreseen.set(null);
    this.done.set(null);
    this.entries.set(new Map(this.entries()).set(id, entry));
  }

  protected change(id: string, change: Partial<Entry>): void {
    this.put(id, { ...this.entries().get(id)!, ...change });
  }

  protected allMetBy(id: string): void {
    this.put(id, {
      attended: true,
      met: this.view.data()!.criteria.map((one) => one.id),
      remarks: this.entries().get(id)?.remarks ?? null,
    });
  }

  /** Attended, and what is needed is to be ticked. */
  protected notMet(id: string): void {
    const met = this.entries().get(id)?.met ?? [];
    const { criteria } = this.view.data()!;
    const isMet = signedOutcome({ criteria }, { attended: true, met }) === 'met';
    this.put(id, { attended: true, met: isMet ? [] : met, remarks: this.entries().get(id)?.remarks ?? null });
  }

  protected absent(id: string): void {
    this.put(id, { attended: false, met: [], remarks: this.entries().get(id)?.remarks ?? null });
  }

  protected toggle(id: string, criterion: string): void {
    const { met } = this.entries().get(id)!;
    this.change(id, { met: met.includes(criterion) ? met.filter((one) => one !== criterion) : [...met, criterion] });
  }

  protected leave(id: string): void {
    const entries = new Map(this.entries());
    entries.delete(id);
    this.foreseen.set(null);
    this.entries.set(entries);
  }

  protected allMet(): void {
    for (const { assignmentId, last } of this.view.data()!.people)
      if (!this.entries().has(assignmentId) && last?.outcome !== 'met') this.allMetBy(assignmentId);
  }

  protected clear(): void {
    this.foreseen.set(null);
    this.entries.set(new Map());
    this.kept.set(false);
  }

  private list(): SignOffEntryDraft[] {
    const place = this.place().trim() || null;
    return [...this.entries()].map(([assignmentId, entry]) => ({ assignmentId, ...entry, place, on: this.on() }));
  }

  protected look(): void {
    this.isBusy.set(true);
    this.problem.set(null);
    this.api.foresee(this.base(), this.list(), this.session() ?? null).subscribe({
      next: (list) => {
        this.isBusy.set(false);
        this.foreseen.set(list);
      },
      error: (error: unknown) => this.failed(error),
    });
  }

  protected send(): void {
    this.isBusy.set(true);
    this.problem.set(null);
    this.api.send(this.base(), { key: this.key(), session: this.session() ?? null, entries: this.list() }).subscribe({
      next: ({ recorded, finished }) => {
        this.isBusy.set(false);
        this.clear();
        this.key.set(newKey());
        this.done.set(
          `${recorded} ${recorded === 1 ? 'entry' : 'entries'} recorded.${finished.length > 0 ? ` ${tellList(finished)} finished the course by it.` : ''}`,
        );
        window.scrollTo({ top: 0 });
        // a link that ends with its use has nothing more to show
        this.view.reload();
      },
      error: (error: unknown) => this.failed(error),
    });
  }

  private failed(error: unknown): void {
    this.isBusy.set(false);
    this.kept.set(true);
    this.problem.set(sentenceOf(error));
  }
}
