import { HttpClient } from '@angular/common/http';
import { ChangeDetectionStrategy, Component, inject, input, signal } from '@angular/core';
import { toObservable } from '@angular/core/rxjs-interop';
import type { ShownLink } from '@nudrik/contract';
import { load } from '../shared/loaded.ts';
import { MomentPipe } from '../shared/moment.pipe.ts';
import { sentenceOf } from '../shared/refusal.ts';

/** The page by which a holder shows a certificate to whoever has its address: made, handed on, ended by them. */
@Component({
  selector: 'nk-share',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [MomentPipe],
  template: `
    @if (now(); as link) {
      @if (link.url) {
        <p>Whoever has this address sees your certificate, and whether it holds. It was made {{ link.madeAt | moment: 'date' }}.</p>
        <p class="line"><input class="input" #box readonly [value]="link.url" aria-label="Address of the page that shows your certificate" (focus)="box.select()" /> <button type="button" class="button small plain" (click)="copy(box)">{{ isCopied() ? 'Copied' : 'Copy' }}</button> <button type="button" class="link" (click)="end()">End it</button></p>
      } @else if (link.canShow) {
        <p><button type="button" class="link" (click)="make()">Show it to others</button> <span class="quiet">by an address that you may hand on, and may end</span></p>
      }
    }
    @if (problem(); as words) {<p class="refusal" role="alert">{{ words }}</p>}
  `,
  styles: `
    :host { display: block; margin-top: 10px; }
    .line { display: flex; gap: 10px; align-items: center; margin-top: 6px; }
  `,
})
export class Share {
  private readonly http = inject(HttpClient);
  /** the personal link of the course */
  readonly token = input.required<string>();
  private readonly found = load(toObservable(this.token), (token) => this.http.get<ShownLink>(`/api/learning/${token}/shown`));
  private readonly changed = signal<ShownLink | null>(null);
  protected readonly problem = signal<string | null>(null);
  protected readonly isCopied = signal(false);

  protected now(): ShownLink | null {
    return this.changed() ?? this.found.data();
  }

  protected make(): void {
    this.ask(this.http.post<ShownLink>(`/api/learning/${this.token()}/shown`, {}));
  }

  protected end(): void {
    this.isCopied.set(false);
    this.ask(this.http.delete<ShownLink>(`/api/learning/${this.token()}/shown`));
  }

  protected copy(box: HTMLInputElement): void {
    box.select();
    // over plain HTTP a browser keeps its clipboard to itself: what is chosen can still be copied by hand
    void navigator.clipboard?.writeText(box.value).then(() => this.isCopied.set(true));
  }

  private ask(request: ReturnType<HttpClient['post']>): void {
    this.problem.set(null);
    request.subscribe({
      next: (link) => this.changed.set(link as ShownLink),
      error: (error: unknown) => this.problem.set(sentenceOf(error)),
    });
  }
}
