import { ChangeDetectionStrategy, Component, computed, inject, input } from '@angular/core';
import { toObservable, toSignal } from '@angular/core/rxjs-interop';
import { FormsModule } from '@angular/forms';
import { Router, RouterLink } from '@angular/router';
import type { ConversationsQuery } from '@nudrik/contract';
import { catchError, debounceTime, of } from 'rxjs';
import { SessionStore } from '../access/session.store.ts';
import { CoursesApi } from '../courses/courses.api.ts';
import { load } from '../shared/loaded.ts';
import { MomentPipe } from '../shared/moment.pipe.ts';
import { SelectField, type Choice } from '../shared/pick/select.ts';
import { ConversationSheet } from './conversation-sheet.ts';
import { ConversationsApi } from './conversations.api.ts';

/** What employees wrote back: who waits for an answer, and what was said. */
@Component({
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [FormsModule, RouterLink, SelectField, MomentPipe, ConversationSheet],
  templateUrl: './conversations.page.html',
  styles: `
    .when { width: 112px; }
    .words { overflow: hidden; text-overflow: ellipsis; white-space: nowrap; max-width: 0; width: 60%; }
  `,
})
export class ConversationsPage {
  private readonly api = inject(ConversationsApi);
  private readonly router = inject(Router);
  protected readonly session = inject(SessionStore);
  readonly conversation = input<string>();
  readonly show = input<string>();
  readonly find = input<string>();
  readonly course = input<string>();
  readonly person = input<string>();
  readonly after = input<string>();
  protected readonly shows: Choice[] = [
    { value: 'open', label: 'open' },
    { value: 'waiting', label: 'waits for an answer' },
    { value: 'done', label: 'done' },
    { value: 'all', label: 'all' },
  ];
  private readonly query = computed((): Partial<ConversationsQuery> => ({
    // of one person all is shown
    show: (this.show() ?? (this.person() ? 'all' : 'open')) as ConversationsQuery['show'],
    find: this.find(),
    course: this.course(),
    person: this.person(),
    after: this.after(),
  }));
  protected readonly list = load(toObservable(this.query).pipe(debounceTime(30)), (query) => this.api.list(query), ['conversations']);
  private readonly courses = toSignal(
    inject(CoursesApi)
      .list()
      .pipe(catchError(() => of([]))),
    { initialValue: [] },
  );
  protected readonly courseFilters = computed(() => [
    { value: '', label: 'any' },
    ...this.courses().map(({ id, title }) => ({ value: id, label: title })),
  ]);
  protected readonly summary = computed(() => {
    const counts = this.list.data()?.counts;
    if (!counts) return '';
    return `${counts.open.toLocaleString('en')} open, ${counts.waiting === 0 ? 'nobody waits' : counts.waiting === 1 ? 'one waits for an answer' : `${counts.waiting.toLocaleString('en')} wait for an answer`}`;
  });

  protected filter(params: Record<string, string | null>): void {
    void this.router.navigate([], { queryParams: { ...params, after: null }, queryParamsHandling: 'merge' });
  }

  protected further(): void {
    const last = this.list.data()?.rows.at(-1);
    if (last) void this.router.navigate([], { queryParams: { after: last.id }, queryParamsHandling: 'merge' });
  }

  protected open(id: string): void {
    void this.router.navigate(['/replies', id], { queryParamsHandling: 'merge' });
  }

  protected close(): void {
    void this.router.navigate(['/replies'], { queryParamsHandling: 'merge' });
  }
}
