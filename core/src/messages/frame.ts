/** What stands around every message of a house. */
export interface Frame {
  /** of buttons, with white letters on it: `#6C2A5E` */
  color: string;
  /** below everything: who writes, with their postal address; null for nothing */
  imprint: string | null;
  /** the address of the picture above everything; null for none */
  logo: string | null;
  /** what is read in place of the picture */
  alt: string;
  /** where pictures of texts stand: their number is put behind it */
  pictures?: string;
}

export const PLAIN_FRAME: Frame = { color: '#6C2A5E', imprint: null, logo: null, alt: '' };

/** How well white letters are read on a colour (WCAG 2.2, 1.4.3): from 1 to 21; 4.5 is the least for text. @param color `#rrggbb` */
export function contrastWithWhite(color: string): number {
  const [red, green, blue] = [1, 3, 5].map((at) => {
    const share = parseInt(color.slice(at, at + 2), 16) / 255;
    return share <= 0.04045 ? share / 12.92 : ((share + 0.055) / 1.055) ** 2.4;
  });
  return 1.05 / (0.2126 * red! + 0.7152 * green! + 0.0722 * blue! + 0.05);
}
