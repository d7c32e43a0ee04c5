import { SettingsDraft, TestMailRequest } from '@nudrik/contract';
import { ADMINISTRATORS, OFFICE, parse, type Route } from '../route.ts';
import { saveSettings, sendTestMail, settingsView } from './settings.ts';

export const houseRoutes: Route[] = [
  { method: 'get', path: '/api/settings', access: OFFICE, handle: ({ deps }) => settingsView(deps) },
  {
    method: 'put',
    path: '/api/settings',
    access: ADMINISTRATORS,
    handle: ({ deps, req, account }) => saveSettings(deps, parse(SettingsDraft, req.body), account!.name),
  },
  {
    method: 'post',
    path: '/api/settings/test-mail',
    access: ADMINISTRATORS,
    handle: ({ deps, req, account }) => sendTestMail(deps, parse(TestMailRequest, req.body).to, account!.name),
  },
];
