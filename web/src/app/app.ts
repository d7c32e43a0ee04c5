import { ChangeDetectionStrategy, Component, computed, inject } from '@angular/core';
import { toSignal } from '@angular/core/rxjs-interop';
import { NavigationEnd, Router, RouterOutlet } from '@angular/router';
import { filter, map } from 'rxjs';
import { SessionStore } from './access/session.store.ts';
import { HoldBanner } from './holding/hold-banner.ts';
import { LeaveQuestion } from './shared/leave-question.ts';
import { LeaveService } from './shared/leave.ts';
import { Header } from './shell/header.ts';
import { KeyHelp } from './shell/key-help.ts';
import { Ribbon } from './shell/ribbon.ts';
import { WorkBar } from './work/work-bar.ts';

/** The frame: header, day ribbon, and below them the work. Pages for everyone (links, verify) stand alone. */
@Component({
  selector: 'nk-root',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [RouterOutlet, Header, HoldBanner, Ribbon, KeyHelp, LeaveQuestion, WorkBar],
  template: `
    <a class="visually-hidden" href="#work">To the page</a>
    @if (isFramed()) {
      <nk-header />
      @if (isOffice()) {
        <nk-ribbon />
        <nk-hold-banner />
      }
    }
    <nk-work-bar />
    <main id="work" tabindex="-1" [class.framed]="isFramed()"><router-outlet /></main>
    <nk-key-help />
    @defer (when leave.isAsking()) {
      <nk-leave-question />
    }
  `,
  styles: `
    :host { display: flex; flex-direction: column; height: 100vh; --room: calc(100vh - 112px); }
    main { flex: 1; min-height: 0; overflow-y: auto; outline: none; }
  `,
})
export class App {
  private readonly session = inject(SessionStore);
  private readonly router = inject(Router);
  protected readonly leave = inject(LeaveService);
  private readonly url = toSignal(
    this.router.events.pipe(
      filter((event) => event instanceof NavigationEnd),
      map((event) => event.urlAfterRedirects),
    ),
    { initialValue: '' },
  );
  protected readonly isFramed = computed(
    () => this.session.account() !== null && !/^\/(sign-in|enter\/|go\/|verify|shown\/|sign-off\/)/.test(this.url()) && this.url() !== '',
  );
  protected readonly isOffice = computed(() => ['administrator', 'trainer', 'auditor'].includes(this.session.account()?.role ?? ''));
}
