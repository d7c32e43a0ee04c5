import { HttpClient } from '@angular/common/http';
import { ChangeDetectionStrategy, Component, computed, inject, input, signal } from '@angular/core';
import { toObservable } from '@angular/core/rxjs-interop';
import type { DownloadView } from '@nudrik/contract';
import { tellBytes } from '@nudrik/core';
import { load } from '../shared/loaded.ts';
import { sentenceOf } from '../shared/refusal.ts';

const HOLDER = 'nudrik download';

/** What this device keeps, so that a link that is passed on opens nothing elsewhere. */
function holderOf(): string {
  const kept = localStorage.getItem(HOLDER);
  if (kept) return kept;
  const made = crypto.randomUUID();
  localStorage.setItem(HOLDER, made);
  return made;
}

/** Where a download link leads: looking at it uses nothing up, the press does. */
@Component({
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <div class="door">
      <div class="left">
        <p class="name">nudrik<span>.</span></p>
        @if (view.data(); as it) {<p class="quiet">{{ it.organisation }}</p>}
      </div>
      <div class="right">
        @if (problem() || view.error()) {<p class="refusal" role="alert">{{ problem() || view.error() }}</p>}
        @if (view.data(); as it) {
          <section>
            <h1>{{ it.name }}</h1>
            <p class="quiet">{{ bytes() }}, for {{ it.person || 'whoever the mail was sent to' }}</p>
            @if (said()) {
              <p class="success" role="status">{{ said() }}</p>
            } @else if (it.isOpen) {
              <p>This link opens until {{ it.until }}.</p>
              <p class="acts"><button class="button filled" [disabled]="isBusy()" (click)="open()">Download</button></p>
            } @else {
              <p>{{ it.why }}</p>
            }
            @if (!said() && (!it.isOpen || problem())) {
              @if (it.mayAsk) {
                <p class="acts"><button class="button" [class.filled]="!it.isOpen" [disabled]="isBusy()" (click)="ask()">Send me a new link</button></p>
                <p class="quiet">It comes to the address that this one came to.</p>
              } @else {
                <p class="quiet">Reply to the message that it came with, and somebody sends it to you.</p>
              }
            }
          </section>
        } @else if (!view.error()) {
          <p class="loading">Looking at the link …</p>
        }
      </div>
    </div>
  `,
  styles: `section p { margin: 8px 0 0; } .acts { margin-top: 16px; }`,
  styleUrl: '../access/sign-in.page.css',
})
export class DownloadPage {
  private readonly http = inject(HttpClient);
  readonly token = input.required<string>();
  protected readonly view = load(toObservable(this.token), (token) => this.http.get<DownloadView>(`/api/downloads/${token}`));
  protected readonly bytes = computed(() => tellBytes(this.view.data()?.bytes ?? 0));
  protected readonly problem = signal<string | null>(null);
  protected readonly said = signal<string | null>(null);
  protected readonly isBusy = signal(false);

  protected open(): void {
    this.begin();
    this.http.post(`/api/downloads/${this.token()}/open`, { holder: holderOf() }, { responseType: 'blob' }).subscribe({
      next: (file) => {
        const url = URL.createObjectURL(file);
        const link = document.createElement('a');
        link.href = url;
        link.download = this.view.data()!.name;
        link.click();
        setTimeout(() => URL.revokeObjectURL(url), 60_000);
        this.isBusy.set(false);
        this.said.set('It is in the downloads of this device.');
      },
      error: (error: unknown) => void this.failed(error),
    });
  }

  protected ask(): void {
    this.begin();
    this.http.post<{ words: string }>(`/api/downloads/${this.token()}/anew`, {}).subscribe({
      next: ({ words }) => {
        this.isBusy.set(false);
        this.said.set(words);
      },
      error: (error: unknown) => void this.failed(error),
    });
  }

  private begin(): void {
    this.problem.set(null);
    this.isBusy.set(true);
  }

  /** A refusal of what is asked for as a file comes as a file. */
  private async failed(error: unknown): Promise<void> {
    const body = (error as { error?: unknown }).error;
    let words = sentenceOf(error);
    if (body instanceof Blob) {
      try {
        words = (JSON.parse(await body.text()) as { message?: string }).message ?? words;
      } catch {
        // no sentence of ours: what was said of it stands
      }
    }
    this.isBusy.set(false);
    this.problem.set(words);
  }
}
