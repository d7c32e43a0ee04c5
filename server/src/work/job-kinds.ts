import { changeRequirement, switchOff, switchOn } from '../requirements/change.ts';
import { previewRequirement } from '../requirements/preview.ts';
import type { Outside, RequirementDraft } from '@nudrik/contract';
import type { Deps } from '../deps.ts';
import type { JobKind, Work } from './jobs.ts';

/** A kind whose input needs no file. */
const kind = <I>(run: (deps: Deps, input: I, byWhom: string, work: Work) => Promise<unknown>): JobKind => ({
  run: (deps, { input, byWhom }, work) => run(deps, input as I, byWhom, work),
});

/** Everything that is done as long work, by name. */
export const JOB_KINDS: Readonly<Record<string, JobKind>> = {
  'requirement-on': kind((deps, { id, version }: { id: string; version: number }, byWhom, work) =>
    switchOn(deps, id, version, byWhom, work),
  ),
  'requirement-off': kind((deps, { id, version, outside }: { id: string; version: number; outside: 'withdraw' | 'keep' }, byWhom, work) =>
    switchOff(deps, id, version, outside, byWhom, work),
  ),
  'requirement-change': kind(
    (deps, { id, version, draft, outside }: { id: string; version: number; draft: RequirementDraft; outside: Outside }, byWhom, work) =>
      changeRequirement(deps, id, version, draft, outside, byWhom, work),
  ),
  'requirement-preview': kind((deps, { id, draft }: { id: string | null; draft: RequirementDraft }, _byWhom, work) =>
    previewRequirement(deps, id, draft, work),
  ),
};
