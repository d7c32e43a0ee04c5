import { HOUSE_AREAS, Line, SettingsDraft, TestMailRequest } from '@nudrik/contract';
import { z } from 'zod';
import { headFile } from '../answer-file.ts';
import { ADMINISTRATORS, bytesOf, get, idOf, OFFICE, parse, type Route } from '../route.ts';
import { findPicture } from '../messages/picture.ts';
import { setLogo } from './logo.ts';
import { mailboxView, seeLeft } from './mailbox.ts';
import { listHouseChanges } from './record.ts';
import { nowOrLater } from '../work/routes.ts';
import { saveSettings, savesMuch, sendTestMail, settingsView } from './settings.ts';

export const houseRoutes: Route[] = [
  get('/api/record/:area', ({ deps, req }) => listHouseChanges(deps.db, parse(z.enum(HOUSE_AREAS), req.params['area']))),
  { method: 'get', path: '/api/settings', access: OFFICE, handle: ({ deps }) => settingsView(deps) },
  {
    method: 'put',
    path: '/api/settings',
    access: ADMINISTRATORS,
    handle(call) {
      const draft = parse(SettingsDraft, call.req.body);
      const job = { kind: 'settings', words: 'Saving the settings', input: draft };
      return nowOrLater(call, savesMuch(call.deps, draft), job, () => saveSettings(call.deps, draft, call.account!.name));
    },
  },
  {
    method: 'put',
    path: '/api/settings/logo',
    access: ADMINISTRATORS,
    takes: 'file',
    async handle(call) {
      const { name } = parse(z.object({ name: Line(120).default('picture') }), call.req.query);
      await setLogo(call.deps, { name, content: bytesOf(call) }, call.account!.name);
      return settingsView(call.deps);
    },
  },
  {
    method: 'delete',
    path: '/api/settings/logo',
    access: ADMINISTRATORS,
    async handle({ deps, account }) {
      await setLogo(deps, null, account!.name);
      return settingsView(deps);
    },
  },
  {
    method: 'get',
    path: '/api/brand/:id',
    access: 'public',
    async handle(call) {
      const { name, type, content } = await findPicture(call.deps.db, idOf(call));
      headFile(call.res, name, type, 'inline');
      // its address names it for good, and mail programs show it from anywhere
      call.res.setHeader('cache-control', 'public, max-age=31536000, immutable');
      call.res.setHeader('cross-origin-resource-policy', 'cross-origin');
      call.res.end(content);
      return undefined;
    },
  },
  { method: 'get', path: '/api/mailbox', access: OFFICE, handle: ({ deps }) => mailboxView(deps) },
  {
    method: 'post',
    path: '/api/mailbox/seen',
    access: ADMINISTRATORS,
    handle: ({ deps, account }) => seeLeft(deps, account!.name),
  },
  {
    method: 'post',
    path: '/api/settings/test-mail',
    access: ADMINISTRATORS,
    handle: ({ deps, req, account }) => sendTestMail(deps, parse(TestMailRequest, req.body).to, account!.name),
  },
];
