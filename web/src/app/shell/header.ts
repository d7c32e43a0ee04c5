import { ChangeDetectionStrategy, Component, computed, inject, signal, viewChild, type ElementRef } from '@angular/core';
import { Router, RouterLink, RouterLinkActive } from '@angular/router';
import { dateOf, tellDay, tellTime, Zone } from '@nudrik/core';
import type { ClockMove } from '@nudrik/contract';
import { homeOf, SessionStore } from '../access/session.store.ts';
import { sentenceOf } from '../shared/refusal.ts';
import { ClockStore } from './clock.store.ts';
import { KeysService } from './keys.service.ts';

const OFFICE = [
  ['today', 'Today'],
  ['people', 'People'],
  ['courses', 'Courses'],
  ['requirements', 'Requirements'],
  ['plans', 'Plans'],
  ['ledger', 'Ledger'],
  ['matrix', 'Matrix'],
  ['certificates', 'Certificates'],
] as const;

/** Areas, find, clock, and who is signed in. */
@Component({
  selector: 'nk-header',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [RouterLink, RouterLinkActive],
  templateUrl: './header.html',
  styleUrl: './header.css',
})
export class Header {
  protected readonly session = inject(SessionStore);
  protected readonly clock = inject(ClockStore);
  private readonly router = inject(Router);
  private readonly find = viewChild<ElementRef<HTMLInputElement>>('find');
  protected readonly problem = signal<string | null>(null);
  protected readonly home = computed(() => homeOf(this.session.account()?.role ?? 'employee'));
  protected readonly isOffice = computed(() => ['administrator', 'trainer', 'auditor'].includes(this.session.account()?.role ?? ''));
  protected readonly areas = computed((): (readonly [string, string])[] => {
    const role = this.session.account()?.role;
    if (role === 'employee') return [['my-training', 'My training']];
    if (role === 'manager')
      return [
        ['my-team', 'My team'],
        ['my-training', 'My training'],
      ];
    return [...OFFICE];
  });
  protected readonly moment = computed(() => {
    const now = this.clock.now();
    if (now === null) return '';
    const zone = Zone.of(this.session.zone());
    const day = zone.dayAt(now);
    return `${tellDay(day)} ${dateOf(day).slice(0, 4)} ${tellTime(now, zone)}`;
  });

  constructor() {
    inject(KeysService).onFind(() => this.find()?.nativeElement.focus());
  }

  protected move(move: ClockMove): void {
    this.problem.set(null);
    this.clock.move(move).subscribe({ error: (error: unknown) => this.problem.set(sentenceOf(error)) });
  }

  protected search(text: string): void {
    void this.router.navigate(['/people'], { queryParams: { find: text || null } });
  }

  protected signOut(): void {
    this.session.signOut().subscribe(() => void this.router.navigate(['/sign-in']));
  }
}
