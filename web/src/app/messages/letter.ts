import { ChangeDetectionStrategy, Component, inject, input, computed, signal } from '@angular/core';
import { DomSanitizer, type SafeHtml } from '@angular/platform-browser';

/** A mail as its reader sees it: HTML in a sandboxed frame that may run nothing, or its plain text. */
@Component({
  selector: 'nk-letter',
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <div class="letter">
      <div class="top">
        <strong>{{ subject() }}</strong>
        <span class="gap">
          <button class="link" [class.on]="form() === 'html'" (click)="form.set('html')" [disabled]="!html()">as read</button>
          @if (hasViews()) {
            <button class="link" [class.on]="form() === 'phone'" (click)="form.set('phone')">on a phone</button>
            <button class="link" [class.on]="form() === 'dark'" (click)="form.set('dark')">in the dark</button>
          }
          <button class="link" [class.on]="form() === 'text'" (click)="form.set('text')">plain text</button>
          @if (hasViews()) {
            <button class="link" [class.on]="form() === 'source'" (click)="form.set('source')">source</button>
          }
          @if (facts().length) {
            <button class="link" [class.on]="form() === 'headers'" (click)="form.set('headers')">headers</button>
          }
        </span>
      </div>
      @switch (form()) {
        @case ('html') {
          <iframe sandbox="allow-popups allow-popups-to-escape-sandbox" [srcdoc]="document()" title="The message as its reader sees it"></iframe>
        }
        @case ('phone') {
          <div class="phone"><iframe sandbox="allow-popups allow-popups-to-escape-sandbox" [srcdoc]="document()" title="The message as it is read on a phone"></iframe></div>
        }
        @case ('dark') {
          <iframe sandbox="allow-popups allow-popups-to-escape-sandbox" [srcdoc]="darkDocument()" title="The message as it is read in the dark"></iframe>
        }
        @case ('text') {
          <pre>{{ text() }}</pre>
        }
        @case ('source') {
          <pre class="source">{{ html() }}</pre>
        }
        @default {
          <dl class="facts">
            @for (fact of facts(); track $index) {
              <div><dt>{{ fact.name }}</dt><dd>{{ fact.value }}</dd></div>
            }
          </dl>
        }
      }
    </div>
  `,
  styles: `
    .letter { border: 1px solid var(--rule); background: var(--paper); margin-top: 14px; }
    .top { display: flex; justify-content: space-between; gap: 12px; padding: 9px 12px; border-bottom: 1px solid var(--rule); flex-wrap: wrap; }
    .on { color: var(--ink); text-decoration: none; font-weight: 700; }
    iframe { display: block; width: 100%; height: 380px; border: 0; background: var(--paper); }
    .phone { display: flex; justify-content: center; padding: 12px; background: var(--rule); }
    .phone iframe { width: 360px; border: 1px solid var(--rule-strong); }
    pre { margin: 0; padding: 14px; white-space: pre-wrap; font: inherit; background: var(--sheet); }
    .source { max-height: 380px; overflow: auto; font: 12px/1.5 ui-monospace, monospace; overflow-wrap: anywhere; }
    dl { padding: 4px 12px; background: var(--sheet); }
  `,
})
export class Letter {
  readonly subject = input.required<string>();
  readonly html = input.required<string | null>();
  readonly text = input.required<string | null>();
  readonly facts = input<{ name: string; value: string }[]>([]);
  /** narrow and dark beside wide and plain: for whoever writes it */
  readonly hasViews = input(false);
  protected readonly form = signal<'html' | 'phone' | 'dark' | 'text' | 'source' | 'headers'>('html');
  private readonly sanitizer = inject(DomSanitizer);
  // the frame is sandboxed without scripts and without our origin; links open in a new tab
  protected readonly document = computed(() => this.framed(this.html() ?? ''));
  /** as mail programs show it that have a dark form: its rules hold whatever this screen has */
  protected readonly darkDocument = computed(() =>
    this.framed((this.html() ?? '').replace('@media (prefers-color-scheme:dark)', '@media all')),
  );

  private framed(html: string): SafeHtml {
    return this.sanitizer.bypassSecurityTrustHtml(html.replace(/<head>/i, '<head><base target="_blank">'));
  }
}
