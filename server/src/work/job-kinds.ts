import { pdfOf } from '../files/convert.ts';
import { changeRequirement, switchOff, switchOn } from '../requirements/change.ts';
import { listStandings, previewRequirement } from '../requirements/preview.ts';
import { countLater } from '../requirements/reconcile.ts';
import type {
  AssignRequest,
  CertificatesFile,
  CloseRequest,
  CompletionsRequest,
  ExtendRequest,
  ImportQuery,
  LedgerExport,
  Outside,
  PlanDraft,
  RemindRequest,
  RequirementDraft,
  Retiring,
  SealsCheck,
  SettingsDraft,
  PackRequest,
  ReportFile,
} from '@nudrik/contract';
import { makeCertificatesFile } from '../certificates/certificates-file.ts';
import { undoAct } from '../assignments/acts.ts';
import { previewCompletions, recordCompletions } from '../assignments/completions.ts';
import { goLive, retireCourse } from '../courses/live.ts';
import { previewPublish, publishCourse } from '../courses/publish.ts';
import { saveSettings } from '../house/settings.ts';
import { assign, close, extend } from '../assignments/change.ts';
import { previewAssign } from '../assignments/preview.ts';
import { previewRemind, remind } from '../assignments/remind.ts';
import { foreseeImport, takeImport } from '../people/import.ts';
import { undoImport } from '../people/undo-import.ts';
import { verifyNow } from '../seals/seals.ts';
import { previewPlan } from '../plans/publish.ts';
import { makePack } from '../evidence/packs.ts';
import { erasePerson } from '../keeping/erase.ts';
import { keepFile } from '../reports/files.ts';
import { exportLedger } from '../notices/ledger.export.ts';
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
  'requirement-people': kind((deps, { id }: { id: string }) => listStandings(deps, id)),
  'certificates-file': kind((deps, request: CertificatesFile, _byWhom, work) => makeCertificatesFile(deps, request, work)),
  'ledger-export': kind((deps, query: LedgerExport, _byWhom, work) => exportLedger(deps, query, work)),
  'count-audience': kind((deps, input: { id: string; version: number }, _byWhom, work) => countLater(deps, input, work)),
  import: {
    run: (deps, { input, file, byWhom }: { input: ImportQuery; file: Buffer | null; byWhom: string }, work) =>
      takeImport(deps, file!, input.order, byWhom, work),
  },
  'import-foresight': {
    run: (deps, { input, file }: { input: ImportQuery; file: Buffer | null }, work) => foreseeImport(deps, file!, input.order, work),
  },
  'import-undo': kind((deps, { id }: { id: string }, byWhom, work) => undoImport(deps, id, byWhom, work)),
  extend: kind((deps, { mostDays, ...request }: ExtendRequest & { mostDays: number | null }, byWhom, work) =>
    extend(deps, request, byWhom, work, mostDays),
  ),
  close: kind((deps, { how, request }: { how: 'waived' | 'withdrawn'; request: CloseRequest }, byWhom, work) =>
    close(deps, how, request, byWhom, work),
  ),
  completions: kind((deps, request: CompletionsRequest, byWhom, work) => recordCompletions(deps, request, byWhom, work)),
  'completions-preview': kind((deps, request: CompletionsRequest) => previewCompletions(deps, request)),
  'seals-verify': kind((deps, { day, head }: SealsCheck, _byWhom, work) =>
    verifyNow(deps, day !== null && head !== null ? { day, head } : null, work),
  ),
  'act-undo': kind((deps, { id }: { id: string }, byWhom, work) => undoAct(deps, id, byWhom, work)),
  settings: kind((deps, draft: SettingsDraft, byWhom, work) => saveSettings(deps, draft, byWhom, work)),
  'evidence-pack': kind((deps, request: PackRequest, byWhom, work) => makePack(deps, request, byWhom, work)),
  'erase-person': kind(async (deps, { id, reason }: { id: string; reason: string }, byWhom, work) =>
    erasePerson(deps, id, reason, byWhom, work),
  ),
  'report-file': kind((deps, input: ReportFile, _byWhom, work) => keepFile(deps, input, work)),
  assign: kind((deps, request: AssignRequest, byWhom, work) => assign(deps, request, byWhom, work)),
  remind: kind((deps, request: RemindRequest, byWhom, work) => remind(deps, request, byWhom, work)),
  'remind-preview': kind((deps, request: RemindRequest, byWhom) => previewRemind(deps, request, byWhom)),
  'assign-preview': kind((deps, request: AssignRequest) => previewAssign(deps, request)),
  'publish-preview': kind((deps, { id }: { id: string }) => previewPublish(deps, id)),
  publish: kind((deps, { id, version }: { id: string; version: number }, byWhom, work) => publishCourse(deps, id, version, byWhom, work)),
  'go-live': kind((deps, { id, version }: { id: string; version: number }, byWhom, work) => goLive(deps, id, version, byWhom, work)),
  retire: kind((deps, { id, retiring }: { id: string; retiring: Retiring }, byWhom, work) =>
    retireCourse(deps, id, retiring, byWhom, work),
  ),
  'office-pdf': kind((deps, { id }: { id: string }, _byWhom, work) => pdfOf(deps, id, work)),
  'plan-preview': kind((deps, { course, draft }: { course: string; draft: PlanDraft }) => previewPlan(deps, course, draft)),
};
