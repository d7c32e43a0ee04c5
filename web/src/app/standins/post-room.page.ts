import { ChangeDetectionStrategy, Component, computed, inject, input, signal } from '@angular/core';
import { toObservable } from '@angular/core/rxjs-interop';
import { FormsModule } from '@angular/forms';
import { Router } from '@angular/router';
import type { Behaviour, PostRoomView } from '@nudrik/contract';
import { debounceTime } from 'rxjs';
import { SessionStore } from '../access/session.store.ts';
import { Letter } from '../messages/letter.ts';
import { load } from '../shared/loaded.ts';
import { MomentPipe } from '../shared/moment.pipe.ts';
import { NumberField } from '../shared/pick/number-field.ts';
import { SelectField, type Choice } from '../shared/pick/select.ts';
import { sentenceOf } from '../shared/refusal.ts';
import { StandinsApi } from './standins.api.ts';

/** The demo's mail server: what arrived, as each reader sees it, and how addresses are to behave. */
@Component({
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [FormsModule, MomentPipe, NumberField, SelectField, Letter],
  templateUrl: './post-room.page.html',
  styles: `
    .behave { display: flex; gap: 10px; align-items: end; flex-wrap: wrap; margin: 4px 0 6px; }
    .behave .field { margin: 0; }
    .odd { display: flex; flex-wrap: wrap; gap: 4px 18px; }
    .when { width: 130px; }
    .pair { white-space: nowrap; }
  `,
})
export class PostRoomPage {
  private readonly api = inject(StandinsApi);
  private readonly router = inject(Router);
  protected readonly session = inject(SessionStore);
  readonly mail = input<string>();
  protected readonly find = signal('');
  protected readonly inText = signal(false);
  private readonly asked = computed(() => ({ find: this.find(), inText: this.inText() }));
  protected readonly refusals: Choice[] = [
    { value: '', label: 'takes mail' },
    { value: 'password', label: 'refuses our password' },
    { value: 'tls', label: 'wants an encrypted connection' },
  ];
  protected readonly ways: Choice[] = [
    { value: '', label: 'is handed over' },
    { value: 'left', label: 'lies in the mailbox' },
  ];
  protected readonly room = load(toObservable(this.asked).pipe(debounceTime(100)), ({ find, inText }) => this.api.postRoom(find, inText), [
    'notices',
    'post-room',
    'clock',
  ]);
  protected readonly letter = load(toObservable(this.mail), (id) => this.api.mail(id));
  protected readonly problem = signal<string | null>(null);
  protected address = '';
  protected behaviour: Behaviour = 'bounce';
  protected afterHours: number | null = 0;
  protected readonly words: Record<Behaviour, string> = {
    bounce: 'bounces: no such mailbox',
    returns: 'takes mail, and returns it later',
    full: 'is full for now',
    grey: 'takes mail at the second try',
    slow: 'answers late',
    drops: 'hangs up in the midst',
    away: 'is away, and says so by itself',
    answers: 'writes back',
    ok: 'takes mail',
  };
  protected readonly behaviours = (Object.keys(this.words) as Behaviour[]).map((value) => ({ value, label: this.words[value] }));
  protected readonly reply = signal('');
  protected readonly said = signal<string | null>(null);

  protected open(id: string): void {
    void this.router.navigate(['/post-room', id]);
  }

  protected close(): void {
    void this.router.navigate(['/post-room']);
  }

  protected behave(address: string, behaviour: Behaviour): void {
    this.send('behaviour', { address: address.trim(), behaviour, afterHours: this.afterHours ?? 0 });
  }

  protected writeBack(id: string): void {
    const words = this.reply().trim();
    if (!words) return;
    this.said.set(null);
    this.api.reply(id, words).subscribe({
      next: ({ response }) => {
        this.reply.set('');
        this.said.set(`Nudrik said: “${response}”`);
      },
      error: (error: unknown) => this.said.set(sentenceOf(error)),
    });
  }

  protected setUp(isUp: boolean): void {
    this.send('server', { isUp });
  }

  protected setRefusal(refuses: string): void {
    this.send('server', { isUp: true, refuses: refuses || null });
  }

  protected setLeft(isLeft: boolean, refuses: PostRoomView['refuses']): void {
    this.send('server', { isUp: true, refuses, isLeft });
  }

  private send(what: string, body: object): void {
    this.problem.set(null);
    this.api.change(what, body).subscribe({
      next: () => {
        this.address = '';
        this.room.reload();
      },
      error: (error: unknown) => this.problem.set(sentenceOf(error)),
    });
  }
}
