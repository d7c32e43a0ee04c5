import { ChangeDetectionStrategy, Component, computed, inject, signal } from '@angular/core';
import { RouterLink } from '@angular/router';
import { headOfHold, tellWaits } from '@nudrik/core';
import type { HoldView } from '@nudrik/contract';
import { of } from 'rxjs';
import { SessionStore } from '../access/session.store.ts';
import { load } from '../shared/loaded.ts';
import { MomentPipe } from '../shared/moment.pipe.ts';
import { HoldForm } from './hold-form.ts';
import { HoldingApi } from './holding.api.ts';
import { ReleaseForm } from './release-form.ts';

const ENDED = { send: 'sent what was still useful', 'let-pass': 'let pass', changed: 'changed', passed: 'its day came' } as const;

/** All that is held, and was: who, since when, why, how much waits; and the one switch for everything. */
@Component({
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [RouterLink, MomentPipe, HoldForm, ReleaseForm],
  templateUrl: './holding.page.html',
})
export class HoldingPage {
  private readonly api = inject(HoldingApi);
  protected readonly session = inject(SessionStore);
  protected readonly holds = load(of(true), () => this.api.list(), ['holds', 'notices', 'clock']);
  protected readonly holding = signal<'everything' | 'some' | null>(null);
  protected readonly releasing = signal<HoldView | null>(null);
  protected readonly everything = computed(() => this.holds.data()?.standing.find(({ scope }) => scope === 'everything') ?? null);
  protected readonly head = headOfHold;
  protected readonly waits = tellWaits;
  protected readonly ended = ENDED;

  protected mayHold({ scope }: HoldView): boolean {
    return this.session.canChange() || (this.session.canEdit() && (scope === 'plan' || scope === 'course'));
  }

  protected linkOf({ scope, of: id }: HoldView): string[] | null {
    if (scope === 'everything' || id === null) return null;
    return { plan: ['/plans', id], course: ['/courses', id], person: ['/people', id], department: ['/people/structure'] }[scope];
  }
}
