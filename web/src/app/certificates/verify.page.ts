import { ChangeDetectionStrategy, Component, computed, effect, inject, input, signal } from '@angular/core';
import { toObservable } from '@angular/core/rxjs-interop';
import { Router } from '@angular/router';
import type { Verification } from '@nudrik/contract';
import { load } from '../shared/loaded.ts';
import { DayPipe } from '../shared/moment.pipe.ts';
import { sentenceOf } from '../shared/refusal.ts';
import { CertificatesApi } from './certificates.api.ts';

/** What of a file is read: no certificate is larger. */
const MOST_BYTES = 20 * 1024 * 1024;

/** For anybody: is this certificate genuine? By its serial, or by its file, which does not leave the device. */
@Component({
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [DayPipe],
  templateUrl: './verify.page.html',
  styles: `
    .alone { max-width: 460px; margin: 9vh auto; padding: 0 20px; }
    .name { font: 700 21px var(--head); margin-bottom: 18px; } .name span { color: var(--plum); }
    form { margin-top: 16px; } section { margin-top: 28px; } h2 { font-size: 20px; margin-bottom: 6px; }
    .drop { display: block; margin-top: 18px; padding: 14px; border: 1px dashed var(--rule-strong, var(--rule)); background: var(--sheet); }
    .drop { position: relative; }
    .drop.over, .drop:focus-within { border-color: var(--plum); }
    .hidden-file { position: absolute; width: 1px; height: 1px; opacity: 0; }
  `,
})
export class VerifyPage {
  private readonly api = inject(CertificatesApi);
  private readonly router = inject(Router);
  readonly serial = input<string>();
  protected readonly bySerial = load(toObservable(this.serial), (serial) => this.api.verify(serial));
  protected readonly file = signal<{ name: string; answer: Verification } | null>(null);
  protected readonly problem = signal<string | null>(null);
  protected readonly isOver = signal(false);
  /** of the file that was looked at last, until a serial is */
  protected readonly answer = computed(() => this.file()?.answer ?? this.bySerial.data());

  constructor() {
    effect(() => {
      this.serial();
      this.file.set(null);
    });
  }

  protected check(typed: string): void {
    this.problem.set(null);
    this.file.set(null);
    if (typed.trim()) void this.router.navigate(['/verify', typed.trim()]);
  }

  protected choose(event: Event): void {
    const field = event.target as HTMLInputElement;
    const file = field.files?.[0];
    // the same file may be chosen again
    field.value = '';
    if (file) void this.look(file);
  }

  protected drop(event: DragEvent): void {
    event.preventDefault();
    this.isOver.set(false);
    const file = event.dataTransfer?.files[0];
    if (file) void this.look(file);
  }

  protected over(event: DragEvent): void {
    event.preventDefault();
    this.isOver.set(true);
  }

  /** Its digest is all that is asked about. */
  private async look(file: File): Promise<void> {
    this.problem.set(null);
    this.file.set(null);
    if (file.size > MOST_BYTES) return this.problem.set(`${file.name} is larger than any certificate. Choose the PDF itself.`);
    if (!crypto.subtle) return this.problem.set('This browser checks files only on a page with https. Type the serial instead.');
    const digest = new Uint8Array(await crypto.subtle.digest('SHA-256', await file.arrayBuffer()));
    this.api.verifyFile([...digest].map((byte) => byte.toString(16).padStart(2, '0')).join('')).subscribe({
      next: (answer) => this.file.set({ name: file.name, answer }),
      error: (error: unknown) => this.problem.set(sentenceOf(error)),
    });
  }
}
