/** The forms of an Arabic letter: alone, last, first, in the midst; those that join nothing after them have two. */
type Forms = readonly string[];

/**
 * The presentation forms of Unicode (blocks A and B), by the letters that they stand for. Within a letter they follow on each
 * other in the order alone, last, first, in the midst.
 */
function readForms(): Map<string, Forms> {
  const forms = new Map<string, string[]>();
  let former = '';
  for (const [from, to] of [
    [0xfb50, 0xfbff],
    [0xfe80, 0xfefc],
  ] as const)
    for (let point = from; point <= to; point++) {
      const form = String.fromCodePoint(point);
      const letters = form.normalize('NFKC');
      if (letters === form) continue;
      if (letters !== former && !forms.has(letters)) forms.set(letters, []);
      if (letters !== former && forms.get(letters)!.length > 0) continue;
      former = letters;
      forms.get(letters)!.push(form);
    }
  return forms;
}

const FORMS = readForms();
const TATWEEL = 'ـ';
const isMark = (character: string): boolean => /\p{Mn}/u.test(character);
const joinsAfter = (letters: string): boolean => letters === TATWEEL || (FORMS.get(letters)?.length ?? 0) === 4;
const joinsBefore = (letters: string): boolean => letters === TATWEEL || (FORMS.get(letters)?.length ?? 0) >= 2;

/**
 * Arabic letters in the forms in which they stand in a word, lam and alef as one. A library that draws glyph by glyph, without
 * their offsets, then draws them joined and with their dots in place. What is shaped already, and every other script, stays.
 */
export function shapeArabic(text: string): string {
  if (!/\p{Script=Arabic}/u.test(text)) return text;
  // letters, lam with its alef as one; the marks of a letter follow it
  const units: { letters: string; marks: string }[] = [];
  for (const character of text.normalize('NFC')) {
    const last = units.at(-1);
    if (isMark(character) && last) last.marks += character;
    else if (last && last.marks === '' && FORMS.has(last.letters + character)) last.letters += character;
    else units.push({ letters: character, marks: '' });
  }
  return units
    .map(({ letters, marks }, n) => {
      const forms = FORMS.get(letters);
      if (!forms) return letters + marks;
      const isAfter = n > 0 && joinsAfter(units[n - 1]!.letters) && joinsBefore(letters);
      const isBefore = n + 1 < units.length && joinsAfter(letters) && joinsBefore(units[n + 1]!.letters);
      return (forms[isBefore ? (isAfter ? 3 : 2) : isAfter ? 1 : 0] ?? forms[0]!) + marks;
    })
    .join('');
}
