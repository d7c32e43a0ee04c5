import { Scorm12API, Scorm2004API } from 'scorm-again';
import type { PackageSaid, PackageStart } from '@nudrik/contract';

/**
 * Stands first in each page of a package. Such a page has an origin that is nobody's: it reads nothing around it, and finds what
 * it talks to (`API`, `API_1484_11`) here, in its own window, and where it looks for it in those around.
 */
const QUIET = { autocommit: false, logLevel: 5, lmsCommitUrl: false } as const;
/** What changes is told so often while it goes on, in milliseconds. */
const REST_MS = 2_000;

type Runtime = Pick<Scorm12API, 'renderCMIToJSONObject' | 'on' | 'loadFromJSON'>;

function startOf(name: string): PackageStart | null {
  try {
    const start = JSON.parse(name) as PackageStart;
    return start.nudrik === 'package' ? start : null;
  } catch {
    return null;
  }
}

/** Storage that lasts as long as the page: a page without an origin has none, and must not fail for that. */
function makeStorage(): Storage {
  const kept = new Map<string, string>();
  return {
    get length() {
      return kept.size;
    },
    key: (i: number) => [...kept.keys()][i] ?? null,
    getItem: (key: string) => kept.get(key) ?? null,
    setItem: (key: string, value: string) => void kept.set(key, String(value)),
    removeItem: (key: string) => void kept.delete(key),
    clear: () => kept.clear(),
  };
}

const around = window.parent;
const say = (said: PackageSaid): void => around.postMessage(said, '*');
const start = startOf(window.name);
const first = new Scorm12API(QUIET);
const second = new Scorm2004API(QUIET);
const isSecond = start?.edition === '2004';
const runtime: Runtime = isSecond ? (second as unknown as Runtime) : first;

let timer: number | undefined;
let told = '';
/** Tells where the package is. Of a frame within it, the one around tells. */
function tell(isEnd: boolean): void {
  window.clearTimeout(timer);
  timer = undefined;
  if (!start) return say({ nudrik: 'commit', isEnd });
  const data = JSON.stringify((runtime.renderCMIToJSONObject() as { cmi: unknown }).cmi);
  if (data !== told || isEnd) say({ nudrik: 'kept', data, isEnd });
  told = data;
}
const tellSoon = (): void => {
  timer ??= window.setTimeout(() => tell(false), REST_MS);
};

if (start) {
  const { person, data } = start;
  const who = isSecond ? { learner_id: person.id, learner_name: person.name } : { student_id: person.id, student_name: person.name };
  const left = data as { core?: object } | null;
  if (isSecond) second.loadFromJSON({ ...left, ...who, entry: left ? 'resume' : 'ab-initio' }, '');
  else first.loadFromJSON({ ...left, core: { ...left?.core, ...who, entry: left ? 'resume' : 'ab-initio' } }, '');
}
for (const [api, set, commit, end] of [
  [first, 'LMSSetValue.cmi.*', 'LMSCommit', 'LMSFinish'],
  [second, 'SetValue.cmi.*', 'Commit', 'Terminate'],
] as const) {
  api.on(set, (key: string, value: unknown) => {
    if (start) tellSoon();
    else say({ nudrik: 'set', key, value: String(value) });
  });
  api.on(commit, () => tell(false));
  api.on(end, () => tell(true));
}

// frames within: what they set is set here, and told from here
window.addEventListener('message', ({ data, source }: MessageEvent<PackageSaid | null>) => {
  if (source === around || typeof data !== 'object' || data === null) return;
  if (data.nudrik === 'set') {
    if (!start) return say(data);
    if (isSecond) {
      if (!second.isInitialized()) second.Initialize('');
      second.SetValue(data.key, data.value);
    } else {
      if (!first.isInitialized()) first.LMSInitialize('');
      first.LMSSetValue(data.key, data.value);
    }
  } else if (data.nudrik === 'commit') tell(data.isEnd);
});
window.addEventListener('pagehide', () => tell(true));

const found = { API: first, API_1484_11: second };
const only = !start || isSecond ? { API_1484_11: second } : { API: first };
Object.assign(window, start ? only : found);
// packages look upwards, window by window; what is around has another origin, and looking at it would fail
const above = { ...(start ? only : found), parent: null as unknown, opener: null, postMessage: around.postMessage.bind(around) };
above.parent = above;
for (const [name, value] of [
  ['parent', above],
  ['opener', null],
  ['localStorage', makeStorage()],
  ['sessionStorage', makeStorage()],
] as const)
  Object.defineProperty(window, name, { configurable: true, value });
let cookies = '';
Object.defineProperty(document, 'cookie', { configurable: true, get: () => cookies, set: (one: string) => (cookies = one.split(';')[0]!) });
