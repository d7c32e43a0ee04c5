import { ChangeDetectionStrategy, Component, computed, effect, inject, input, output, signal, untracked } from '@angular/core';
import { toObservable } from '@angular/core/rxjs-interop';
import { FormsModule } from '@angular/forms';
import { RouterLink } from '@angular/router';
import type { ConversationPost, ConversationView } from '@nudrik/contract';
import { tellBytes, type ShownTo } from '@nudrik/core';
import type { Observable } from 'rxjs';
import { SessionStore } from '../access/session.store.ts';
import { load } from '../shared/loaded.ts';
import { MomentPipe } from '../shared/moment.pipe.ts';
import { SelectField } from '../shared/pick/select.ts';
import { sentenceOf } from '../shared/refusal.ts';
import { ConversationsApi } from './conversations.api.ts';

/** One conversation: what was said, in its order, and the answer. */
@Component({
  selector: 'nk-conversation',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [FormsModule, RouterLink, MomentPipe, SelectField],
  templateUrl: './conversation-sheet.html',
  styleUrl: './conversation-sheet.css',
})
export class ConversationSheet {
  private readonly api = inject(ConversationsApi);
  protected readonly session = inject(SessionStore);
  readonly id = input.required<string>();
  readonly closed = output();
  protected readonly sheet = load(toObservable(this.id), (id) => this.api.one(id), ['conversations']);
  protected readonly words = signal('');
  protected readonly isWorking = signal(false);
  /** files that go with the answer */
  protected readonly files = signal<readonly { id: string; name: string; bytes: number }[]>([]);
  protected readonly problem = signal<string | null>(null);
  /** posts that are shown with what they repeat */
  protected readonly whole = signal<ReadonlySet<string>>(new Set());
  protected readonly tellBytes = tellBytes;
  protected readonly readers = computed(() => {
    const view = this.sheet.data();
    const list = view?.readers ?? [];
    const reader = view?.reader;
    return [
      { value: '', label: 'the house' },
      // whoever has it and may not be given it any more is named all the same
      ...(reader && !list.some(({ id }) => id === reader.id) ? [{ value: reader.id, label: reader.name }] : []),
      ...list.map(({ id, name }) => ({ value: id, label: name })),
    ];
  });
  /** everybody on the course reads it on its page */
  protected readonly isShared = computed(() => this.sheet.data()?.shownTo === 'course' && this.sheet.data()!.mayBeShown);
  /** who reads the answer on the page of the course: as chosen, or as the word that it answers */
  protected readonly readsChosen = signal<ShownTo | null>(null);
  protected readonly reads = computed((): ShownTo => {
    const word = this.sheet.data()?.posts.filter(({ side }) => side === 'person').at(-1); // prettier-ignore
    return this.readsChosen() ?? (word?.shownTo === 'course' ? 'course' : 'person');
  });
  protected readonly sharing = computed(() => [
    { value: 'course', label: 'everybody on the course' },
    { value: 'person', label: `${this.sheet.data()?.person.name ?? ''} alone` },
  ]);
  /** "Answer, by mail to runa@… and on the page of the course" */
  protected readonly answerLabel = computed(() => {
    const view = this.sheet.data();
    if (!view) return 'Answer';
    return `Answer, by mail to ${view.address ?? 'nobody'}${view.shownTo ? ' and on the page of the course' : ''}`;
  });
  protected readonly hasFailed = computed(() => this.sheet.data()?.posts.some(({ mail }) => mail?.state === 'failed') ?? false);

  constructor() {
    // words that were begun for one are not sent to another
    effect(() => {
      const id = this.id();
      untracked(() => {
        this.words.set('');
        this.files.set([]);
        this.problem.set(null);
        this.readsChosen.set(null);
        // those that were put to it before one went to another page
        if (this.session.canEdit())
          this.api.files(id).subscribe({ next: (files) => id === this.id() && this.files.set(files), error: () => undefined });
      });
    });
  }

  protected turn({ id }: ConversationPost): void {
    this.whole.update((ids) => new Set(ids.has(id) ? [...ids].filter((other) => other !== id) : [...ids, id]));
  }

  protected answer(isDone: boolean): void {
    const view = this.sheet.data();
    const words = this.words().trim();
    if (!view || words === '') return;
    const seen = view.posts.reduce((last, { id }) => (BigInt(id) > BigInt(last) ? id : last), '1');
    const shownTo = this.isShared() ? { shownTo: this.reads() } : {};
    this.act(this.api.answer(view.id, { words, seen, isDone, files: this.files().map(({ id }) => id), ...shownTo }), () => {
      this.readsChosen.set(null);
      this.words.set('');
      this.files.set([]);
    });
  }

  protected choose(event: Event): void {
    const field = event.target as HTMLInputElement;
    for (const file of field.files ?? [])
      this.api.putFile(this.id(), file).subscribe({
        next: (put) => this.files.update((list) => [...list, put]),
        error: (error: unknown) => this.problem.set(sentenceOf(error)),
      });
    // the same file may be chosen again
    field.value = '';
  }

  protected drop(file: string): void {
    this.api.dropFile(this.id(), file).subscribe({
      next: () => this.files.update((list) => list.filter(({ id }) => id !== file)),
      error: (error: unknown) => this.problem.set(sentenceOf(error)),
    });
  }

  protected setOpen(isOpen: boolean): void {
    this.act(this.api.setOpen(this.id(), isOpen));
  }

  protected giveTo(reader: string): void {
    this.act(this.api.giveTo(this.id(), reader || null));
  }

  protected showTo(to: ShownTo): void {
    this.act(this.api.showTo(this.id(), to));
  }

  protected takeOff({ id, isOff }: ConversationPost): void {
    this.act(this.api.takeOff(this.id(), id, !isOff));
  }

  protected sendAgain(): void {
    this.act(this.api.sendAgain(this.id()));
  }

  private act(what: Observable<ConversationView>, then: () => void = () => undefined): void {
    this.problem.set(null);
    this.isWorking.set(true);
    what.subscribe({
      next: () => {
        this.isWorking.set(false);
        then();
        this.sheet.reload();
      },
      error: (error: unknown) => {
        this.isWorking.set(false);
        this.problem.set(sentenceOf(error));
        this.sheet.reload();
      },
    });
  }
}
