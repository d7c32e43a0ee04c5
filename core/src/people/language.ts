/** Languages that messages are written in, by their tag (BCP 47): what they are called, and what they call themselves. */
export const LANGUAGES = {
  en: { name: 'English', own: 'English' },
  nb: { name: 'Norwegian', own: 'norsk' },
  sv: { name: 'Swedish', own: 'svenska' },
  da: { name: 'Danish', own: 'dansk' },
  de: { name: 'German', own: 'Deutsch' },
  nl: { name: 'Dutch', own: 'Nederlands' },
  fr: { name: 'French', own: 'français' },
  es: { name: 'Spanish', own: 'español' },
  pl: { name: 'Polish', own: 'polski' },
} as const;
export type Language = keyof typeof LANGUAGES;
export const LANGUAGE_TAGS = Object.keys(LANGUAGES) as [Language, ...Language[]];

/** Whether messages can be written in it; people may read in any other. */
export const isLanguage = (tag: string): tag is Language => Object.hasOwn(LANGUAGES, tag);

const names = new Intl.DisplayNames('en', { type: 'language', fallback: 'none' });
const nameOf = (tag: string): string | undefined => {
  try {
    return names.of(tag);
  } catch {
    return undefined; // no tag at all
  }
};

/** As it is told: `Norwegian`; a language that nobody knows by its tag, `xx`, as it stands. */
export const tellLanguage = (tag: string): string => (isLanguage(tag) ? LANGUAGES[tag].name : (nameOf(tag) ?? tag));

/** Other words for them, as personnel systems write them. */
const OTHER: Readonly<Record<string, string>> = { no: 'nb', nor: 'nb', nob: 'nb', 'norsk bokmål': 'nb', bokmål: 'nb', eng: 'en', swe: 'sv', dan: 'da', deu: 'de', ger: 'de', nld: 'nl', dut: 'nl', fra: 'fr', fre: 'fr', spa: 'es', pol: 'pl' }; // prettier-ignore
let byWord: Map<string, string> | null = null;

/** Each language that has a tag of two letters, by its tag and its English name; ours by what they call themselves too. */
function words(): Map<string, string> {
  if (byWord) return byWord;
  byWord = new Map();
  const letters = 'abcdefghijklmnopqrstuvwxyz';
  for (const a of letters)
    for (const b of letters) {
      const name = nameOf(a + b);
      if (name) byWord.set(a + b, a + b).set(name.toLowerCase(), a + b);
    }
  for (const tag of LANGUAGE_TAGS) for (const word of [tag, LANGUAGES[tag].name, LANGUAGES[tag].own]) byWord.set(word.toLowerCase(), tag);
  for (const [word, tag] of Object.entries(OTHER)) byWord.set(word, tag);
  return byWord;
}

/** The language that a word means, as its tag: a tag with or without its region (`nb-NO`, `de_AT`), a code, or its name; null where it is none of these. */
export function readLanguage(text: string): string | null {
  const word = text.trim().toLowerCase();
  return words().get(word) ?? (/^[a-z]{2,3}[-_][a-z0-9]/.test(word) ? (words().get(word.split(/[-_]/)[0]!) ?? null) : null);
}

/** All that somebody may read in, ours first, then by name. */
export const allLanguages = (): { tag: string; name: string }[] => {
  const tags = [...new Set(words().values())].filter((tag) => !isLanguage(tag));
  const others = tags.map((tag) => ({ tag, name: tellLanguage(tag) })).sort((a, b) => a.name.localeCompare(b.name));
  return [...LANGUAGE_TAGS.map((tag) => ({ tag, name: tellLanguage(tag) })), ...others];
};
