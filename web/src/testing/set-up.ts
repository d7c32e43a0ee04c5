import { setupTestBed } from '@analogjs/vitest-angular/setup-testbed';

setupTestBed({ zoneless: true });

// jsdom has no media: nothing is asked of it here but whether a window is narrow
window.matchMedia ??= (media: string) =>
  ({ media, matches: false, addEventListener: () => undefined, removeEventListener: () => undefined }) as unknown as MediaQueryList;
// nor does it lay anything out
Element.prototype.scrollIntoView ??= () => undefined;

// nothing is laid out here: an editor that looks where its text stands finds it nowhere
Range.prototype.getClientRects ??= () => [] as unknown as DOMRectList;
Range.prototype.getBoundingClientRect ??= () => new DOMRect();
