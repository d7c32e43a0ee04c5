import { openSignInService, subOf } from '@nudrik/standins';
import { CAST, emailOf } from './orlasund.ts';

/** The sign-in service of Orlasund Ferries as a process of its own: it knows who has an account in the demo, and some who have none. */
const names = [
  ...new Set([CAST.administrator, CAST.trainer, CAST.deckHead, CAST.terminalHead, CAST.employee, CAST.auditor, CAST.cabinHead]),
];
const service = await openSignInService({
  port: Number(process.env['SIGN_IN_PORT'] ?? 4355),
  redirectUri: process.env['SIGN_IN_BACK']!,
  clientId: process.env['OIDC_CLIENT_ID']!,
  clientSecret: process.env['OIDC_CLIENT_SECRET']!,
  people: [
    ...names.map((name) => ({ sub: subOf(emailOf(name)), email: emailOf(name), name })),
    { sub: 'guest', email: 'guest@harbour-office.example', name: 'A guest of the harbour office' },
  ],
});
process.send?.('ready');
const stop = (): void => void service.close().then(() => process.exit(0));
process.on('SIGTERM', stop);
process.on('SIGINT', stop);
process.on('disconnect', stop);
