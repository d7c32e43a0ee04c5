import { ChangeDetectionStrategy, Component, computed, effect, inject, input, signal, untracked, viewChild } from '@angular/core';
import { Router, RouterLink, RouterLinkActive, RouterOutlet } from '@angular/router';
import type { MenuItem } from 'primeng/api';
import { Menu } from 'primeng/menu';
import { SessionStore } from '../access/session.store.ts';
import type { HasWork } from '../shared/leave.ts';
import { MomentPipe } from '../shared/moment.pipe.ts';
import { Newer } from '../shared/newer.ts';
import { download } from '../shared/download.ts';
import { sentenceOf } from '../shared/refusal.ts';
import { CoursesApi } from './courses.api.ts';
import { CourseStore } from './course.store.ts';
import { HoldStrip } from '../holding/hold-strip.ts';
import { CourseUploads } from './course-uploads.ts';

/** A course: its head, what is said of keeping it, and below it its outline, when it opens, and going live. */
@Component({
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [HoldStrip, RouterLink, RouterLinkActive, RouterOutlet, Menu, MomentPipe, Newer],
  providers: [CourseStore, CourseUploads],
  templateUrl: './course.page.html',
  styleUrl: './course.page.css',
  host: { '(document:keydown)': 'key($event)' },
})
export class CoursePage implements HasWork {
  protected readonly store = inject(CourseStore);
  protected readonly session = inject(SessionStore);
  private readonly api = inject(CoursesApi);
  private readonly router = inject(Router);
  private readonly menu = viewChild(Menu);
  private readonly strip = viewChild(HoldStrip);
  readonly course = input.required<string>();
  readonly work = this.store.work;
  readonly settled = (): Promise<void> => this.store.settled();
  protected readonly liveWords = computed(() => {
    if (this.store.state() === 'draft') return 'Go live';
    return this.store.state() === 'live' ? 'Publish' : 'Retired';
  });
  protected readonly more = computed((): MenuItem[] => [
    { label: 'Duplicate the course', command: () => this.copy() },
    { label: 'Download it as a file', command: () => void this.store.settled().then(() => download(`/api/courses/${this.course()}/file`)) },
    ...(this.store.state() === 'draft' ? [] : [{ label: 'Hold its messages …', command: () => this.strip()?.begin() }]),
    ...(this.store.state() === 'live' && this.session.canChange()
      ? [{ label: 'Retire the course', routerLink: ['/courses', this.course(), 'live'], queryParams: { retire: 1 } }]
      : []),
  ]);
  protected readonly isBusy = signal(false);
  /** the way there is not shown where somebody is */
  protected readonly isAtLive = signal(false);

  constructor() {
    effect(() => {
      const id = this.course();
      untracked(() => this.store.open(id));
    });
  }

  protected openMore(event: Event): void {
    this.menu()?.toggle(event);
  }

  private copy(): void {
    this.isBusy.set(true);
    const title = this.store.form()!.title;
    // what is typed last is copied too
    void this.store.settled().then(() => this.copyAs(title, 1));
  }

  private copyAs(title: string, n: number): void {
    this.api.copy(this.course(), n === 1 ? `${title} (copy)` : `${title} (copy ${n})`).subscribe({
      next: ({ id }) => {
        this.isBusy.set(false);
        void this.router.navigate(['/courses', id]);
      },
      error: (error: { status?: number }) => {
        if (error.status === 409 && n < 20) return this.copyAs(title, n + 1);
        this.isBusy.set(false);
        this.store.problem.set(sentenceOf(error));
      },
    });
  }

  /** Undo and redo over all that is written; a text field has its own while somebody types in it. */
  protected key(event: KeyboardEvent): void {
    if (!(event.ctrlKey || event.metaKey) || event.altKey || event.key.toLowerCase() !== 'z') return;
    const target = event.target as HTMLElement;
    if (target.closest('input, textarea, [contenteditable=true]') && !target.closest('[data-line]')) return;
    event.preventDefault();
    if (event.shiftKey) this.store.redo();
    else this.store.undo();
  }
}
