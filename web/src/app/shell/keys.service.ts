import { DOCUMENT } from '@angular/common';
import { DestroyRef, inject, Injectable, signal } from '@angular/core';
import { Router } from '@angular/router';

/** Where keys are somebody's text or choice: fields, and lists that are searched by typing. */
const isTyping = (target: EventTarget | null): boolean =>
  target instanceof HTMLElement &&
  (target.isContentEditable || /^(INPUT|TEXTAREA)$/.test(target.tagName) || target.matches('[role=combobox], [role=listbox], [role=menu]'));

/** Rows of lists: those that open as a whole, and lines of tables; a line that says there is none is no row. */
const ROWS = '[data-row], tbody tr:not(:has(> td:only-child))';

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
    const press = (event: KeyboardEvent): void => this.press(event);
    this.document.addEventListener('keydown', press);
    inject(DestroyRef).onDestroy(() => this.document.removeEventListener('keydown', press));
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
    if (event.key === 'Enter' && focused instanceof HTMLElement && focused.matches(ROWS)) {
      event.preventDefault();
      return this.open(focused);
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

  /** A row opens itself, or by the first thing in it that leads on or can be done. */
  private open(row: HTMLElement): void {
    if (row.matches('[data-row]')) row.click();
    else row.querySelector<HTMLElement>('a[href], button:not(:disabled)')?.click();
  }

  /** The rows of the page, or of the sheet where somebody is in it or the page has none. */
  private rows(): HTMLElement[] {
    const all = [...this.document.querySelectorAll<HTMLElement>(ROWS)];
    const isInSheet = (element: Element | null): boolean => element?.closest('.sheet') != null;
    const own = all.filter((row) => isInSheet(row) === isInSheet(this.document.activeElement));
    const list = own.length > 0 ? own : all;
    const marked = list.filter((row) => row.matches('[data-row]'));
    return marked.length > 0 ? marked : list;
  }

  private row(step: number): void {
    const list = this.rows();
    const at = list.indexOf(this.document.activeElement as HTMLElement);
    const chosen = list.findIndex((row) => row.classList.contains('chosen'));
    const from = at === -1 ? chosen : at;
    const next = list[Math.min(list.length - 1, Math.max(0, from + step))];
    if (!next) return;
    if (!next.hasAttribute('tabindex')) next.tabIndex = -1;
    next.focus();
  }
}
