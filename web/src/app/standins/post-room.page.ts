import { HttpClient } from '@angular/common/http';
import { ChangeDetectionStrategy, Component, inject, input, signal } from '@angular/core';
import { toObservable } from '@angular/core/rxjs-interop';
import { FormsModule } from '@angular/forms';
import { Router } from '@angular/router';
import type { Behaviour, PostRoomLetter, PostRoomView } from '@nudrik/contract';
import { debounceTime } from 'rxjs';
import { Letter } from '../messages/letter.ts';
import { load } from '../shared/loaded.ts';
import { MomentPipe } from '../shared/moment.pipe.ts';
import { paramsOf } from '../shared/params.ts';
import { sentenceOf } from '../shared/refusal.ts';

/** The demo's mail server: what arrived, as each reader sees it, and how addresses are to behave. */
@Component({
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [FormsModule, MomentPipe, Letter],
  templateUrl: './post-room.page.html',
  styles: `
    .behave { display: flex; gap: 10px; align-items: end; flex-wrap: wrap; margin: 4px 0 6px; }
    .behave .field { margin: 0; }
    .odd { display: flex; flex-wrap: wrap; gap: 4px 18px; }
    .when { width: 120px; }
  `,
})
export class PostRoomPage {
  private readonly http = inject(HttpClient);
  private readonly router = inject(Router);
  readonly mail = input<string>();
  protected readonly find = signal('');
  protected readonly room = load(
    toObservable(this.find).pipe(debounceTime(100)),
    (find) => this.http.get<PostRoomView>('/api/post-room', { params: paramsOf({ find }) }),
    ['notices', 'post-room', 'clock'],
  );
  protected readonly letter = load(toObservable(this.mail), (id) => this.http.get<PostRoomLetter>(`/api/post-room/mails/${id}`));
  protected readonly problem = signal<string | null>(null);
  protected address = '';
  protected behaviour: Behaviour = 'bounce';
  protected readonly words: Record<Behaviour, string> = {
    ok: 'takes mail',
    bounce: 'bounces: no such mailbox',
    full: 'is full for now',
    slow: 'answers late',
  };

  protected open(id: string): void {
    void this.router.navigate(['/post-room', id]);
  }

  protected close(): void {
    void this.router.navigate(['/post-room']);
  }

  protected behave(address: string, behaviour: Behaviour): void {
    this.send('behaviour', { address: address.trim(), behaviour });
  }

  protected setUp(isUp: boolean): void {
    this.send('server', { isUp });
  }

  private send(what: string, body: object): void {
    this.problem.set(null);
    this.http.put(`/api/post-room/${what}`, body).subscribe({
      next: () => {
        this.address = '';
        this.room.reload();
      },
      error: (error: unknown) => this.problem.set(sentenceOf(error)),
    });
  }
}
