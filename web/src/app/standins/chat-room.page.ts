import { ChangeDetectionStrategy, Component, computed, inject, input, signal } from '@angular/core';
import { toObservable } from '@angular/core/rxjs-interop';
import { FormsModule } from '@angular/forms';
import { Router, RouterLink } from '@angular/router';
import type { ChatRoomChange } from '@nudrik/contract';
import { SessionStore } from '../access/session.store.ts';
import { load } from '../shared/loaded.ts';
import { MomentPipe } from '../shared/moment.pipe.ts';
import { sentenceOf } from '../shared/refusal.ts';
import { StandinsApi } from './standins.api.ts';

/** The demo's workplace chat: what people and channels were told there, and what they write back. */
@Component({
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [FormsModule, MomentPipe, RouterLink],
  templateUrl: './chat-room.page.html',
  styles: `
    .odd { display: flex; flex-wrap: wrap; gap: 4px 18px; }
    .said { white-space: pre-wrap; overflow-wrap: anywhere; margin: 4px 0 0; }
    ol { list-style: none; margin: 12px 0; padding: 0; }
    li { padding: 10px 0; border-top: 1px solid var(--rule); }
    li.back { padding-left: 32px; }
    .last { max-width: 520px; overflow: hidden; text-overflow: ellipsis; white-space: nowrap; }
    .name { max-width: 240px; overflow: hidden; text-overflow: ellipsis; white-space: nowrap; }
  `,
})
export class ChatRoomPage {
  private readonly api = inject(StandinsApi);
  private readonly router = inject(Router);
  protected readonly session = inject(SessionStore);
  readonly thread = input<string>();
  private readonly asked = computed(() => ({ thread: this.thread() }));
  protected readonly room = load(toObservable(this.asked), ({ thread }) => this.api.chatRoom(thread), [
    'notices',
    'post-room',
    'clock',
    'conversations',
  ]);
  protected readonly problem = signal<string | null>(null);
  protected readonly said = signal<string | null>(null);
  protected name = '';
  protected words = '';

  protected open(thread: string): void {
    this.said.set(null);
    void this.router.navigate(['/chat-room'], { queryParams: { thread } });
  }

  protected close(): void {
    void this.router.navigate(['/chat-room']);
  }

  protected change(change: ChatRoomChange): void {
    this.problem.set(null);
    this.api.changeChat(change).subscribe({
      next: () => {
        this.name = '';
        this.room.reload();
      },
      error: (error: unknown) => this.problem.set(sentenceOf(error)),
    });
  }

  protected forget(): void {
    const name = this.name.trim();
    if (name) this.change({ name: { name, isKnown: false } });
  }

  protected writeBack(thread: string): void {
    const words = this.words.trim();
    if (!words) return;
    this.said.set(null);
    this.api.replyInChat(thread, words).subscribe({
      next: ({ response }) => {
        this.words = '';
        this.said.set(`Nudrik said: “${response}”`);
        this.room.reload();
      },
      error: (error: unknown) => this.said.set(sentenceOf(error)),
    });
  }
}
