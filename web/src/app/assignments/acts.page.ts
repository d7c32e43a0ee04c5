import { ChangeDetectionStrategy, Component, inject, signal } from '@angular/core';
import type { ActRow } from '@nudrik/contract';
import { of } from 'rxjs';
import { SessionStore } from '../access/session.store.ts';
import { RequirementsTabs } from '../requirements/requirements-tabs.ts';
import { load } from '../shared/loaded.ts';
import { MomentPipe } from '../shared/moment.pipe.ts';
import { sentenceOf } from '../shared/refusal.ts';
import { AssignmentsApi } from './assignments.api.ts';

/** The record of what was done by hand: who, when, why; and what can still be taken back. */
@Component({
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [MomentPipe, RequirementsTabs],
  templateUrl: './acts.page.html',
})
export class ActsPage {
  private readonly api = inject(AssignmentsApi);
  protected readonly session = inject(SessionStore);
  protected readonly acts = load(of(true), () => this.api.acts(), ['assignments', 'notices', 'clock']);
  protected readonly problem = signal<string | null>(null);

  protected undo(act: ActRow): void {
    this.problem.set(null);
    this.api.undo(act.id).subscribe({
      next: () => this.acts.reload(),
      error: (error: unknown) => this.problem.set(sentenceOf(error)),
    });
  }
}
