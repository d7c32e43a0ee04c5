import { ChangeDetectionStrategy, Component, computed, inject, input } from '@angular/core';
import { RouterLink } from '@angular/router';
import { SessionStore } from '../access/session.store.ts';
import { MatrixViews } from '../reports/matrix-views.ts';

const VIEWS = [
  { path: '', words: 'Packs', for: ['administrator', 'trainer', 'auditor'] },
  { path: 'sample', words: 'Sample', for: ['administrator', 'trainer', 'auditor'] },
  { path: 'looked', words: 'What was looked at', for: ['administrator', 'auditor'] },
] as const;
export type EvidenceView = (typeof VIEWS)[number]['path'];

/** The pages of evidence beside each other. */
@Component({
  selector: 'nk-evidence-views',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [MatrixViews, RouterLink],
  template: `
    <nk-matrix-views current="evidence" />
    <nav class="tabs" aria-label="Evidence">
      @for (each of views(); track each.path) {
        <a [routerLink]="each.path === '' ? ['/matrix', 'evidence'] : ['/matrix', 'evidence', each.path]" [class.here]="current() === each.path" [attr.aria-current]="current() === each.path ? 'page' : null">{{ each.words }}</a>
      }
    </nav>
  `,
  styles: `.tabs { margin-top: 10px; }`,
}) // prettier-ignore
export class EvidenceViews {
  private readonly session = inject(SessionStore);
  readonly current = input.required<EvidenceView>();
  protected readonly views = computed(() => {
    const role = this.session.account()?.role;
    return VIEWS.filter((view) => role !== undefined && (view.for as readonly string[]).includes(role));
  });
}
