import { ChangeDetectionStrategy, Component, DestroyRef, effect, type ElementRef, inject, input, output, signal, untracked, viewChild } from '@angular/core'; // prettier-ignore
import { getDocument, GlobalWorkerOptions, TextLayer, type PDFDocumentProxy } from 'pdfjs-dist';

/** Pages that are drawn before they come into sight, on either side. */
const AHEAD = '150% 0px';

/** A PDF in the page: its pages one below the other, drawn as they come into sight, with their text above for reading aloud and finding. */
@Component({
  selector: 'nk-unit-pdf',
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    @if (problem()) {
      <p class="refusal" role="alert">It cannot be shown here. <a [href]="address()" target="_blank">Open it by itself</a>.</p>
    }
    <p class="quiet where" role="status">
      @if (count()) {Page {{ page() }} of {{ count() }} · <a [href]="address()" target="_blank">open it by itself</a>} @else if (!problem()) {Opening …}
    </p>
    <div #pages class="pages" tabindex="0" role="region" [attr.aria-label]="label()"></div>
  `,
  styles: `
    .where { font-size: 13px; }
    .pages { position: relative; max-height: 78vh; overflow: auto; border: 1px solid var(--rule); background: var(--paper); }
    .pages ::ng-deep section { position: relative; margin: 8px auto; background: #fff; box-shadow: 0 0 0 1px var(--rule); overflow: hidden; }
    .pages ::ng-deep canvas { display: block; width: 100%; height: 100%; }
    .pages ::ng-deep .text { position: absolute; inset: 0; line-height: 1; transform-origin: 0 0; forced-color-adjust: none; text-align: initial; }
    .pages ::ng-deep .text :is(span, br) { color: transparent; position: absolute; white-space: pre; cursor: text; transform-origin: 0 0; }
    .pages ::ng-deep .text ::selection { background: rgb(96 48 110 / 25%); }
  `,
})
export class UnitPdf {
  readonly address = input.required<string>();
  readonly label = input('The document');
  /** the page that is shown first */
  readonly from = input(1);
  /** the page in sight */
  readonly turned = output<number>();
  private readonly pages = viewChild.required<ElementRef<HTMLElement>>('pages');
  protected readonly count = signal(0);
  protected readonly page = signal(1);
  protected readonly problem = signal(false);
  private document: PDFDocumentProxy | null = null;
  private isGone = false;
  private readonly sight = new Map<Element, number>();
  private observer: IntersectionObserver | null = null;

  constructor() {
    effect(() => {
      const address = this.address();
      untracked(() => void this.open(address));
    });
    inject(DestroyRef).onDestroy(() => {
      this.isGone = true;
      this.observer?.disconnect();
      void this.document?.loadingTask.destroy();
    });
  }

  private async open(address: string): Promise<void> {
    GlobalWorkerOptions.workerPort ??= new Worker(new URL('./pdf.worker', import.meta.url), { type: 'module' });
    try {
      const document = await getDocument({
        url: address,
        isEvalSupported: false,
        enableXfa: false,
        cMapUrl: '/pdf/cmaps/',
        cMapPacked: true,
        standardFontDataUrl: '/pdf/fonts/',
      }).promise;
      if (this.isGone) return void document.loadingTask.destroy();
      this.document = document;
      await this.lay(document);
    } catch {
      this.problem.set(true);
    }
  }

  /** A place for each page, as large as the page is, so that scrolling knows its length from the first on. */
  private async lay(document: PDFDocumentProxy): Promise<void> {
    const place = this.pages().nativeElement;
    const width = Math.max(200, place.clientWidth - 16);
    const first = await document.getPage(1);
    const { width: w, height: h } = first.getViewport({ scale: 1 });
    for (let n = 1; n <= document.numPages; n++) {
      const section = place.ownerDocument.createElement('section');
      section.setAttribute('aria-label', `Page ${n}`);
      section.style.width = `${width}px`;
      section.style.height = `${(width / w) * h}px`;
      section.dataset['page'] = String(n);
      place.append(section);
    }
    this.count.set(document.numPages);
    this.observer = new IntersectionObserver((entries) => this.see(entries), { root: place, rootMargin: AHEAD, threshold: [0, 0.5, 1] });
    for (const section of place.children) this.observer.observe(section);
    place.addEventListener('scroll', () => this.where(), { passive: true });
    const from = Math.min(this.from(), document.numPages);
    if (from > 1) place.scrollTop = (place.children[from - 1] as HTMLElement).offsetTop;
    this.page.set(from);
  }

  private where(): void {
    const place = this.pages().nativeElement;
    const middle = place.scrollTop + place.clientHeight / 2;
    const at = [...place.children].findIndex(
      (section) => (section as HTMLElement).offsetTop + (section as HTMLElement).offsetHeight > middle,
    );
    const page = at === -1 ? this.count() : at + 1;
    if (page === this.page()) return;
    this.page.set(page);
    this.turned.emit(page);
  }

  private see(entries: IntersectionObserverEntry[]): void {
    for (const { target, isIntersecting } of entries) if (isIntersecting && !this.sight.has(target)) void this.draw(target as HTMLElement);
  }

  private async draw(section: HTMLElement): Promise<void> {
    this.sight.set(section, 1);
    const document = this.document;
    if (!document) return;
    const page = await document.getPage(Number(section.dataset['page']));
    const width = section.clientWidth;
    const scale = width / page.getViewport({ scale: 1 }).width;
    const viewport = page.getViewport({ scale });
    section.style.height = `${viewport.height}px`;
    const sharp = Math.min(2, window.devicePixelRatio || 1);
    const canvas = section.ownerDocument.createElement('canvas');
    canvas.width = Math.floor(viewport.width * sharp);
    canvas.height = Math.floor(viewport.height * sharp);
    canvas.setAttribute('aria-hidden', 'true');
    section.append(canvas);
    await page.render({ canvasContext: canvas.getContext('2d')!, viewport, transform: sharp === 1 ? undefined : [sharp, 0, 0, sharp, 0, 0] }).promise; // prettier-ignore
    if (this.isGone) return;
    const text = section.ownerDocument.createElement('div');
    text.className = 'text';
    text.style.setProperty('--scale-factor', String(scale));
    section.append(text);
    await new TextLayer({ textContentSource: page.streamTextContent(), container: text, viewport }).render();
  }
}
