import { afterNextRender, DestroyRef, Directive, ElementRef, inject, input, output } from '@angular/core';

/** Paragraphs of a page that must be behind before its place is worth coming back to. */
const FEW = 3;

/** The place of a reader in a page: it begins at the paragraph that was the first in sight, and tells which that is now. */
@Directive({ selector: '[nkReading]' })
export class Reading {
  private readonly page = inject<ElementRef<HTMLElement>>(ElementRef).nativeElement;
  readonly from = input(0);
  /** the first paragraph in sight, counted from 0 */
  readonly read = output<number>();
  private last = 0;

  constructor() {
    const look = (): void => this.look();
    window.addEventListener('scroll', look, { passive: true });
    inject(DestroyRef).onDestroy(() => window.removeEventListener('scroll', look));
    afterNextRender(() => {
      this.last = this.from();
      const paragraph = this.page.children[this.last];
      if (this.last >= FEW && paragraph) paragraph.scrollIntoView({ block: 'start' });
    });
  }

  private look(): void {
    const at = [...this.page.children].findIndex((paragraph) => paragraph.getBoundingClientRect().bottom > 0);
    if (at === -1 || at === this.last) return;
    this.last = at;
    this.read.emit(at);
  }
}
