import { DOCUMENT } from '@angular/common';
import { inject, Injectable, signal } from '@angular/core';
import { Router } from '@angular/router';

/** Where keys are somebody's text or choice: fields, and lists that are searched by typing. */
const isTyping = (target: EventTarget | null): boolean =>
  target instanceof HTMLElement &&
  (target.isContentEditable || /^(INPUT|TEXTAREA)$/.test(target.tagName) || target.matches('[role=combobox], [role=listbox], [role=menu]'));

/** What lies over the page and takes Esc for itself. */
const OVERLAYS = '.p-select-overlay, .p-autocomplete-overlay, .p-popover, .p-menu-overlay, .p-dialog';

/** One place for the keys that work everywhere: find, rows, assign, ribbon, help. */
@Injectable({ providedIn: 'root' })
export class KeysService {
  private readonly document = inject(DOCUMENT);
  private readonly router = inject(Router);
  private find: () => void = () => undefined;
  private ribbon: (step: number) => void = () => undefined;
  readonly isHelpOpen = signal(false);

  constructor() {
    this.document.addEventListener('keydown', (event) => this.press(event));
  }

  onFind(act: () => void): void {
    this.find = act;
  }

  onRibbon(act: (step: number) => void): void {
    this.ribbon = act;
  }

  private press(event: KeyboardEvent): void {
    if (event.key === 'Escape' && this.document.querySelector(OVERLAYS)) return;
    if (event.ctrlKey || event.metaKey || event.altKey || isTyping(event.target)) return;
    const acts: Record<string, () => void> = {
      '/': () => this.find(),
      a: () => void this.router.navigate(['/assign']),
      j: () => this.row(1),
      k: () => this.row(-1),
      '[': () => this.ribbon(-1),
      ']': () => this.ribbon(1),
      '?': () => this.isHelpOpen.update((isOpen) => !isOpen),
    };
    if (event.key === 'Escape' && this.isHelpOpen()) return this.isHelpOpen.set(false);
    if (event.key === 'Escape') return this.closeSheet();
    const focused = this.document.activeElement;
    if (event.key === 'Enter' && focused instanceof HTMLElement && focused.matches('[data-row]')) {
      event.preventDefault();
      return focused.click();
    }
    const act = acts[event.key];
    if (!act) return;
    event.preventDefault();
    act();
  }

  /** Closes the open sheet; the row that it belonged to is kept, so that `j` goes on from there. */
  private closeSheet(): void {
    const row = this.document.querySelector<HTMLElement>('[data-row].chosen');
    this.document.querySelector<HTMLElement>('[data-close]')?.click();
    setTimeout(() => row?.isConnected && row.focus());
  }

  private row(step: number): void {
    const list = [...this.document.querySelectorAll<HTMLElement>('[data-row]')];
    const at = list.indexOf(this.document.activeElement as HTMLElement);
    const chosen = list.findIndex((row) => row.classList.contains('chosen'));
    const from = at === -1 ? chosen : at;
    list[Math.min(list.length - 1, Math.max(0, from + step))]?.focus();
  }
}
