/** The two editions of SCORM that are played. */
export type ScormEdition = '1.2' | '2004';

/** What is read of a package. */
export interface PackageAbout {
  edition: ScormEdition;
  title: string;
  /** the page within it that is opened first */
  launch: string;
  files: number;
}

/** What a package told of itself, as its data model has it. */
export interface PackageTold {
  /** it was gone through */
  isCompleted: boolean;
  /** null where it does not say */
  isPassed: boolean | null;
  /** 0 to 1; null where it gives none */
  score: number | null;
}

type Data = Readonly<Record<string, unknown>>;
const within = (data: unknown, path: readonly string[]): unknown =>
  path.reduce<unknown>((at, key) => (typeof at === 'object' && at !== null ? (at as Data)[key] : undefined), data);
const numberOf = (value: unknown): number | null => {
  const number = typeof value === 'string' && value.trim() !== '' ? Number(value) : value;
  return typeof number === 'number' && Number.isFinite(number) ? number : null;
};
const held = (share: number): number => Math.min(1, Math.max(0, share));

/**
 * Completion, success and score out of the data of a package.
 * @param cmi the data model below `cmi`
 * Source: SCORM 1.2 RTE 3.4.4 (cmi.core.lesson_status, cmi.core.score), SCORM 2004 RTE 4.2.3, 4.2.21, 4.2.20
 */
export function packageTold(edition: ScormEdition, cmi: unknown): PackageTold {
  if (edition === '1.2') {
    const status = within(cmi, ['core', 'lesson_status']);
    const raw = numberOf(within(cmi, ['core', 'score', 'raw']));
    const max = numberOf(within(cmi, ['core', 'score', 'max'])) ?? 100;
    const min = numberOf(within(cmi, ['core', 'score', 'min'])) ?? 0;
    return {
      isCompleted: status === 'completed' || status === 'passed' || status === 'failed',
      isPassed: status === 'passed' ? true : status === 'failed' ? false : null,
      score: raw === null || max <= min ? null : held((raw - min) / (max - min)),
    };
  }
  const success = within(cmi, ['success_status']);
  const scaled = numberOf(within(cmi, ['score', 'scaled']));
  return {
    isCompleted: within(cmi, ['completion_status']) === 'completed',
    isPassed: success === 'passed' ? true : success === 'failed' ? false : null,
    score: scaled === null ? null : held(scaled),
  };
}

/** A package is done when it was gone through or passed, and was not failed. */
export const isPackageDone = ({ isCompleted, isPassed }: PackageTold): boolean => isPassed === true || (isCompleted && isPassed !== false);
