import { ChangeDetectionStrategy, Component, inject, signal } from '@angular/core';
import type { MailboxView } from '@nudrik/contract';
import { tellAmount } from '@nudrik/core';
import { of } from 'rxjs';
import { SessionStore } from '../access/session.store.ts';
import { load } from '../shared/loaded.ts';
import { MomentPipe } from '../shared/moment.pipe.ts';
import { sentenceOf } from '../shared/refusal.ts';
import { SettingsApi } from './settings.api.ts';

/** The mailbox that mail is fetched from: when it was looked into, why not, and what could not be taken. */
@Component({
  selector: 'nk-mailbox',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [MomentPipe],
  template: `
    @if (mailbox.data(); as box) {
      <p class="quiet">
        Mailbox: <strong>{{ box.name }}</strong>, set where Nudrik is started (IMAP_URL);
        @if (box.failingSince) {<span class="late">since {{ box.failingSince | moment }} {{ box.words }}.</span>}
        @else if (box.lookedAt) {looked into {{ box.lookedAt | moment }}, {{ takenWords(box) }} taken so far.}
        @else {not looked into yet.}
      </p>
      @if (box.left.length > 0) {
        <p>Could not be taken, and still in the mailbox, flagged:</p>
        <ul>
          @for (mail of box.left; track $index) {
            <li>“{{ mail.subject }}” from {{ mail.from }}, {{ mail.at | moment }}: {{ mail.why }}.</li>
          }
        </ul>
        @if (session.canChange()) {
          <button type="button" class="button small" (click)="see()">I have looked at {{ box.left.length === 1 ? 'it' : 'them' }}</button>
        }
      }
    }
    @if (problem() ?? mailbox.error(); as words) {
      <p class="refusal" role="alert">{{ words }}</p>
    }
  `,
  styles: `ul { margin: 4px 0 8px; padding-left: 20px; }`,
})
export class Mailbox {
  private readonly api = inject(SettingsApi);
  protected readonly session = inject(SessionStore);
  protected readonly mailbox = load(of(true), () => this.api.mailbox(), ['settings', 'people', 'conversations']);
  protected readonly problem = signal<string | null>(null);
  protected readonly takenWords = ({ taken }: MailboxView): string => (taken === 0 ? 'nothing' : tellAmount(taken, 'mails'));

  protected see(): void {
    this.problem.set(null);
    this.api.seeLeft().subscribe({
      next: () => this.mailbox.reload(),
      error: (error: unknown) => this.problem.set(sentenceOf(error)),
    });
  }
}
