/** Captions of a video (WebVTT) in one language. */
export interface Captions {
  fileId: string;
  /** BCP 47, "en" */
  language: string;
}

export interface Video {
  /** percent of it that has to be played, 1 to 100 */
  share: number;
  /** how long it is, as the author's browser read it; null until then */
  seconds: number | null;
  captions: Captions[];
}

export const NEW_VIDEO: Video = { share: 90, seconds: null, captions: [] };

/** Seconds of a video, from and to. */
export type Stretch = readonly [number, number];

/** Nobody plays faster: what claims to have been is not counted. */
export const FASTEST = 2;
/** Players stop a little before the end. */
const SLACK = 1;

/** Stretches in their order, none over another; what makes no sense is left out. */
export function mergeStretches(stretches: readonly Stretch[], seconds: number): Stretch[] {
  const merged: [number, number][] = [];
  const inOrder = stretches
    .map(([from, to]): [number, number] => [Math.max(0, from), Math.min(seconds, to)])
    .filter(([from, to]) => to > from)
    .sort((a, b) => a[0] - b[0]);
  for (const [from, to] of inOrder) {
    const last = merged.at(-1);
    if (last && from <= last[1]) last[1] = Math.max(last[1], to);
    else merged.push([from, to]);
  }
  return merged;
}

const lengthOf = (stretches: readonly Stretch[]): number => stretches.reduce((sum, [from, to]) => sum + to - from, 0);

/**
 * What was played of a video with what is told of it now. What is told may not be more than could be played meanwhile.
 * @param before what was played by then, merged
 * @param told what was played since
 * @param elapsed seconds that went by since the last that was told
 */
export function playedWith(before: readonly Stretch[], told: readonly Stretch[], elapsed: number, seconds: number): Stretch[] {
  let room = Math.max(0, elapsed) * FASTEST + SLACK;
  const taken: Stretch[] = [];
  for (const [from, to] of mergeStretches(told, seconds)) {
    const length = Math.min(to - from, room);
    if (length <= 0) break;
    taken.push([from, from + length]);
    room -= length;
  }
  return mergeStretches([...before, ...taken], seconds);
}

/** Percent of a video that was played, whole, never more than it was. */
export const playedShare = (stretches: readonly Stretch[], seconds: number): number =>
  seconds > 0 ? Math.min(100, Math.floor((lengthOf(mergeStretches(stretches, seconds)) / seconds) * 100 + 1e-9)) : 0;

/** Whether enough of it was really played. */
export const isPlayed = ({ share, seconds }: Video, stretches: readonly Stretch[]): boolean =>
  seconds !== null && lengthOf(mergeStretches(stretches, seconds)) + SLACK >= (seconds * share) / 100;

/** "4:05", "1:02:30" */
export function tellSeconds(seconds: number): string {
  const whole = Math.round(seconds);
  const [h, m, s] = [Math.floor(whole / 3600), Math.floor(whole / 60) % 60, whole % 60];
  const two = (n: number): string => String(n).padStart(2, '0');
  return h > 0 ? `${h}:${two(m)}:${two(s)}` : `${m}:${two(s)}`;
}
