import { Id, KeptViewDraft, LedgerChoicesQuery, LedgerExport, NoticeAct, NoticesQuery, TestLettersQuery } from '@nudrik/contract';
import { dateOf, dayOf } from '@nudrik/core';
import { z } from 'zod';
import { Refused } from '../refusal.ts';
import { findTestLetter, listTestLetters } from '../messages/test-letters.repo.ts';
import { tryChannelsNow } from '../messages/channels.repo.ts';
import { announce } from '../db/db.ts';
import { retryAside } from '../work/set-aside.ts';
import { headFile } from '../answer-file.ts';
import { paramsOf } from '../reports/params.ts';
import { nowOrLater } from '../work/routes.ts';
import { act, ADMINISTRATORS, DONE, get, idOf, OFFICE, parse, type Route } from '../route.ts';
import { houseToday } from '../people/today.ts';
import { actOnNotice } from './by-hand.ts';
import { LEDGER_TYPES, ledgerName, writeLedger } from './ledger.export.ts';
import { ledgerChoices } from './ledger.choices.ts';
import { groupNotices, listNotices } from './ledger.list.ts';
import { DAYS_AHEAD } from '../rehearsal/ahead.ts';
import { dropView, keepView, listViews } from './views.ts';
import { findNoticeSheet, ribbon, whyStep } from './ledger.query.ts';

const TRY_NOW = `
update notices
set try_at = $1::timestamptz
where state = 'planned'
  and attempts > 0
  and try_at > $1::timestamptz
`;

export const noticeRoutes: Route[] = [
  {
    method: 'get',
    path: '/api/notices',
    access: OFFICE,
    handle: async ({ deps, req }) => listNotices(deps.db, parse(NoticesQuery, req.query), deps.clock.now(), await houseToday(deps)),
  },
  get('/api/notices/groups', async ({ deps, req }) =>
    groupNotices(deps.db, parse(NoticesQuery, req.query), deps.clock.now(), await houseToday(deps)),
  ),
  get('/api/notices/choices', ({ deps, req }) => ledgerChoices(deps.db, parse(LedgerChoicesQuery, req.query).course ?? null)),
  get('/api/notices/file', async ({ deps, req, res }) => {
    const query = parse(LedgerExport, req.query);
    headFile(res, await ledgerName(deps, query), LEDGER_TYPES[query.form]);
    await writeLedger(deps, query, res);
    return undefined;
  }),
  {
    method: 'post',
    path: '/api/notices/export',
    access: OFFICE,
    async handle(call) {
      const query = parse(LedgerExport, call.req.body);
      const { deps } = call;
      const { total } = await listNotices(deps.db, { ...query, size: 1 }, deps.clock.now(), await houseToday(deps));
      const job = { kind: 'ledger-export', words: `Exporting the ledger as ${query.form.toUpperCase()}`, input: query };
      return nowOrLater(call, total === null || total > deps.settings.jobAbove, job, () =>
        Promise.resolve({ href: `/api/notices/file?${new URLSearchParams(paramsOf(query)).toString()}` }),
      );
    },
  },
  get('/api/test-letters', ({ deps, req }) => listTestLetters(deps.db, parse(TestLettersQuery, req.query))),
  get('/api/test-letters/:id', async (call) => {
    const letter = await findTestLetter(call.deps.db, idOf(call));
    if (!letter) throw new Refused('not-found', 'There is no such test, or not any more.');
    return letter;
  }),
  get('/api/views/:page', ({ deps, req, account }) => listViews(deps.db, parse(KeptViewDraft.shape.page, req.params['page']), account!)),
  {
    method: 'post',
    path: '/api/views',
    access: OFFICE,
    handle: ({ deps, req, account }) => keepView(deps, parse(KeptViewDraft, req.body), account!),
  },
  {
    method: 'delete',
    path: '/api/views/:id',
    access: OFFICE,
    async handle(call) {
      await dropView(call.deps.db, idOf(call), call.account!);
      return DONE;
    },
  },
  {
    method: 'get',
    path: '/api/notices/why',
    access: OFFICE,
    handle({ deps, req }) {
      const { assignment, step } = parse(z.object({ assignment: Id, step: z.string().min(1) }), req.query);
      return whyStep(deps, assignment, step);
    },
  },
  {
    method: 'post',
    path: '/api/notices/try-now',
    access: ADMINISTRATORS,
    async handle({ deps }) {
      const result = await deps.db.query(TRY_NOW, [new Date(deps.clock.now())]);
      await tryChannelsNow(deps.db, deps.clock.now());
      await announce(deps.db, 'work');
      return { tried: result.rowCount };
    },
  },
  act('post', '/api/notices/try-again', async ({ deps }) => {
    await retryAside(deps, true);
    return DONE;
  }),
  {
    method: 'get',
    path: '/api/notices/:id',
    access: OFFICE,
    handle: ({ deps, req, account }) => findNoticeSheet(deps, parse(Id, req.params['id']), account!.personId),
  },
  {
    method: 'post',
    path: '/api/notices/:id/act',
    access: ADMINISTRATORS,
    handle: ({ deps, req, account }) => actOnNotice(deps, parse(Id, req.params['id']), parse(NoticeAct, req.body), account!.name),
  },
  {
    method: 'get',
    path: '/api/ribbon',
    access: OFFICE,
    async handle({ deps }) {
      const today = await houseToday(deps);
      return ribbon(deps.db, today, dateOf(dayOf(today) - 7), dateOf(dayOf(today) + DAYS_AHEAD));
    },
  },
];
