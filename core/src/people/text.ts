/** What stands in no text: control characters beside tabs and line breaks, and what stands for a character that was damaged. */
 
const CONTROL = /[\u0000-\u0008\u000b\u000c\u000e-\u001f\u007f-\u009f\ufffd\ufffe\uffff]/;
const SURROGATE = /\p{Surrogate}/u;

/** What is wrong with a text of one line, in words without a full stop, or null. */
export function textFault(text: string, most: number): string | null {
  if (text.length > most) return `expected at most ${most} characters, got ${text.length}`;
  if (SURROGATE.test(text)) return 'expected text, got half a character';
  const control = CONTROL.exec(text)?.[0];
  if (control === '\ufffd') return 'expected text, got a character that was damaged on the way';
  if (control) return `expected text, got a control character (U+${control.charCodeAt(0).toString(16).toUpperCase().padStart(4, '0')})`;
  return null;
}
