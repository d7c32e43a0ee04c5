import { ChangeDetectionStrategy, Component, computed, inject, input, signal } from '@angular/core';
import { toObservable } from '@angular/core/rxjs-interop';
import { FormsModule } from '@angular/forms';
import { Router } from '@angular/router';
import type { KeptView, Role, ViewPage } from '@nudrik/contract';
import { SessionStore } from '../access/session.store.ts';
import { load } from '../shared/loaded.ts';
import { SelectField, type Choice } from '../shared/pick/select.ts';
import { sentenceOf } from '../shared/refusal.ts';
import { SentApi } from './sent.api.ts';

const SHARED: Readonly<Record<string, readonly Role[]>> = {
  all: ['administrator', 'trainer', 'auditor'],
  editors: ['administrator', 'trainer'],
  administrators: ['administrator'],
  me: [],
};
const sorted = (params: Readonly<Record<string, string>>): string => JSON.stringify(Object.entries(params).sort());

/** Where a view leads: its page with its filters in the address. */
function addressOf(page: ViewPage, { course, ...rest }: Readonly<Record<string, string>>): { path: string[]; params: Record<string, string> } {
  switch (page) {
    case 'ledger':
      return { path: ['/ledger'], params: { ...(course ? { course } : {}), ...rest } };
    case 'matrix':
      return { path: ['/matrix'], params: { ...(course ? { course } : {}), ...rest } };
    case 'figures':
      return { path: ['/matrix', 'figures'], params: { ...(course ? { course } : {}), ...rest } };
    case 'report':
      return { path: ['/matrix', course ?? ''], params: rest };
    default:
      return { path: ['/matrix', course ?? '', page], params: rest };
  }
} // prettier-ignore

/** Views of a page that somebody gave a name; those of one's own, and those that are shared with one's role. */
@Component({
  selector: 'nk-kept-views',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [FormsModule, SelectField],
  template: `
    @if (problem()) {<p class="refusal" role="alert">{{ problem() }}</p>}
    @if (shown().length || hasFilter()) {
      <div class="kept" role="group" aria-label="Views with a name">
        @for (view of shown(); track view.id) {
          <span><button class="link" [class.here]="here()?.id === view.id" [attr.aria-pressed]="here()?.id === view.id" [title]="titleOf(view)" (click)="open(view)">{{ view.name }}</button>@if (here()?.id === view.id && view.isMine) {&ngsp;<button class="link quiet" (click)="forget(view)" [attr.aria-label]="'Forget the view ' + view.name">×</button>}</span>
        }
        @if (hasFilter() && !here()) {
          @if (isNaming()) {
            <form class="gap" (submit)="$event.preventDefault(); keep()">
              <input class="input" name="name" maxlength="80" aria-label="Name of the view" placeholder="what it shows" [(ngModel)]="name" />
              <span class="pair">for <nk-select label="For whom" [options]="shares()" [ngModel]="share()" (ngModelChange)="share.set($event)" name="share" /></span>
              <button class="button small">Keep it</button> <button type="button" class="link" (click)="isNaming.set(false)">Leave it</button>
            </form>
          } @else {
            <button class="link quiet" (click)="isNaming.set(true)">Keep this view under a name …</button>
          }
        }
      </div>
    }
  `,
  styles: `
    .kept { display: flex; flex-wrap: wrap; gap: 6px 16px; margin-bottom: 12px; align-items: center; }
    .here { font-weight: 700; color: var(--ink); text-decoration: none; }
    .input { width: 220px; }
    .pair { display: inline-flex; gap: 7px; align-items: center; color: var(--quiet); }
  `,
}) // prettier-ignore
export class KeptViews {
  private readonly api = inject(SentApi);
  private readonly router = inject(Router);
  private readonly session = inject(SessionStore);
  readonly page = input.required<ViewPage>();
  /** what stands in the address: its filters, and the course where it is of one */
  readonly params = input.required<Readonly<Record<string, string>>>();
  /** the course that the page is of: its views are those of it */
  readonly course = input<string>();
  private readonly views = load(toObservable(this.page), (page) => this.api.views(page), ['views']);
  private readonly own = computed((): Record<string, string> => ({ ...this.params(), ...(this.course() ? { course: this.course()! } : {}) }));
  protected readonly shown = computed(() => (this.views.data() ?? []).filter(({ params }) => !this.course() || params['course'] === this.course()));
  protected readonly hasFilter = computed(() => Object.keys(this.params()).length > 0);
  protected readonly here = computed(() => this.shown().find(({ params }) => sorted(params) === sorted(this.own())) ?? null);
  protected readonly isNaming = signal(false);
  protected readonly problem = signal<string | null>(null);
  protected readonly share = signal('all');
  protected readonly shares = computed((): Choice[] => {
    const me: Choice = { value: 'me', label: 'me alone' };
    if (!this.session.canEdit()) return [me];
    return [{ value: 'all', label: 'everybody who reads here' }, { value: 'editors', label: 'administrators and trainers' }, { value: 'administrators', label: 'administrators' }, me];
  });
  protected name = '';

  protected titleOf(view: KeptView): string {
    return view.roles.length === 0 ? 'for you alone' : `kept by ${view.madeBy}, for ${view.roles.map((role) => `${role}s`).join(', ')}`;
  }

  protected open(view: KeptView): void {
    const { path, params } = addressOf(this.page(), view.params);
    void this.router.navigate(path, { queryParams: params });
  }

  protected keep(): void {
    const name = this.name.trim();
    if (!name) return;
    this.problem.set(null);
    const share = this.session.canEdit() ? this.share() : 'me';
    this.api.keepView(this.page(), name, this.own(), SHARED[share] ?? []).subscribe({
      next: () => {
        this.isNaming.set(false);
        this.name = '';
        this.views.reload();
      },
      error: (error: unknown) => this.problem.set(sentenceOf(error)),
    });
  }

  protected forget(view: KeptView): void {
    this.problem.set(null);
    this.api
      .dropView(view.id)
      .subscribe({ next: () => this.views.reload(), error: (error: unknown) => this.problem.set(sentenceOf(error)) });
  }
} // prettier-ignore
