import { HttpClient } from '@angular/common/http';
import { ChangeDetectionStrategy, Component, computed, inject, input, signal } from '@angular/core';
import { toObservable } from '@angular/core/rxjs-interop';
import type { DeclineView } from '@nudrik/contract';
import { load } from '../shared/loaded.ts';
import { sentenceOf } from '../shared/refusal.ts';

/** Where the link at the end of a message that may be declined leads: looking at it declines nothing, the press does. */
@Component({
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <div class="door">
      <div class="left">
        <p class="name">nudrik<span>.</span></p>
        @if (shown(); as it) {<p class="quiet">{{ it.organisation }}</p>}
      </div>
      <div class="right">
        @if (problem() || view.error()) {<p class="refusal" role="alert">{{ problem() || view.error() }}</p>}
        @if (shown(); as it) {
          <section>
            @if (it.isDeclined) {
              <h1>You get no more of these</h1>
              <p>{{ it.person }} is sent no more of “{{ it.step }}” of {{ it.course }}. What the course asks of you reaches you as before.</p>
              <p class="acts"><button class="button" [disabled]="isBusy()" (click)="act('delete')">Send them again</button></p>
            } @else {
              <h1>No more of “{{ it.step }}”?</h1>
              <p class="quiet">For {{ it.person }}, of {{ it.course }}.</p>
              @if (it.refusal) {
                <p>{{ it.refusal }}</p>
              } @else {
                <p>You would be sent no more of these messages. What the course asks of you still reaches you.</p>
                <p class="acts"><button class="button filled" [disabled]="isBusy()" (click)="act('post')">I do not want these</button></p>
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
export class DeclinePage {
  private readonly http = inject(HttpClient);
  readonly token = input.required<string>();
  private readonly address = computed(() => `/api/declines/${encodeURIComponent(this.token())}`);
  protected readonly view = load(toObservable(this.address), (address) => this.http.get<DeclineView>(address));
  /** as it is since the last press */
  private readonly after = signal<DeclineView | null>(null);
  protected readonly shown = computed(() => this.after() ?? this.view.data());
  protected readonly problem = signal<string | null>(null);
  protected readonly isBusy = signal(false);

  protected act(method: 'post' | 'delete'): void {
    this.isBusy.set(true);
    this.problem.set(null);
    this.http.request<DeclineView>(method, this.address()).subscribe({
      next: (view) => {
        this.isBusy.set(false);
        this.after.set(view);
      },
      error: (error: unknown) => {
        this.isBusy.set(false);
        this.problem.set(sentenceOf(error));
      },
    });
  }
}
