import { HOUSE_AREAS, SettingsDraft, TestMailRequest } from '@nudrik/contract';
import { z } from 'zod';
import { ADMINISTRATORS, get, OFFICE, parse, type Route } from '../route.ts';
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
    method: 'post',
    path: '/api/settings/test-mail',
    access: ADMINISTRATORS,
    handle: ({ deps, req, account }) => sendTestMail(deps, parse(TestMailRequest, req.body).to, account!.name),
  },
];
