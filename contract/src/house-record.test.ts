import { expect, test } from 'vitest';
import { settingsWords } from './house-record.ts';
import { SettingsDraft } from './settings.ts';

const DRAFT = SettingsDraft.parse({
  version: 1,
  organisation: 'Orlasund Ferries',
  zone: 'Europe/Oslo',
  place: 'Orla Quay',
  senderName: 'Safety training',
  senderAddress: 'training@orlasund.example',
  replyTo: 'tora.hauge@orlasund.example',
  windowFrom: '08:00',
  windowTo: '18:00',
  dailyLimit: 3,
  toleranceHours: 24,
  settleMinutes: 10,
  graceDays: 14,
  linkDays: null,
  weekStartsOn: 1,
});
const OTHERWISE: SettingsDraft = {
  version: 2,
  organisation: 'Another House',
  zone: 'Europe/London',
  place: 'Tarn Ness',
  senderName: 'Training',
  language: 'nb',
  by: 'chat',
  senderAddress: 'other@orlasund.example',
  replyTo: 'odd.brandal@orlasund.example',
  repliesToTrainer: true,
  inboundAddress: 'replies@orlasund.example',
  frameColor: '#1E2430',
  imprint: 'Quay 1',
  logoEmbedded: false,
  windowFrom: '07:00',
  windowTo: '19:00',
  dailyLimit: null,
  toleranceHours: 12,
  settleMinutes: 0,
  graceDays: 7,
  linkDays: 30,
  weekStartsOn: 7,
  managerExtendDays: 14,
  unansweredDays: 9,
};

test.each(Object.keys(OTHERWISE).filter((key) => key !== 'version') as (keyof SettingsDraft)[])('a change of %s is on the record', (key) =>
  expect(settingsWords({ ...DRAFT, [key]: OTHERWISE[key] })).not.toEqual(settingsWords(DRAFT)),
);
