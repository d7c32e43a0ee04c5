import { ImapFlow } from 'imapflow';
import { simpleParser } from 'mailparser';
import { createTransport } from 'nodemailer';
import { afterEach, expect, it, vi } from 'vitest';
import { openPostRoom, type PostRoom } from './post-room.ts';

let room: PostRoom;
afterEach(() => room.close());

const USER = 'replies@orlasund.example';
const open = async () => (room = await openPostRoom({ smtpPort: 0, httpPort: 0, reportPort: 0, mailbox: { port: 0, user: USER, password: 'lies "here"' } })); // prettier-ignore
const client = (pass = 'lies "here"') => new ImapFlow({ host: '127.0.0.1', port: room.mailbox!.port, secure: false, auth: { user: USER, pass }, logger: false }); // prettier-ignore
const call = (method: string, path: string, body: object) =>
  fetch(`http://127.0.0.1:${room.httpPort}${path}`, {
    method,
    headers: { 'content-type': 'application/json' },
    body: JSON.stringify(body),
  });
const send = async (to: string) => {
  const transport = createTransport({ host: '127.0.0.1', port: room.smtpPort, ignoreTLS: true });
  await transport.sendMail({ from: 'training@orlasund.example', replyTo: 'replies+n1@orlasund.example', to, subject: 'Fire', text: 'Hello', envelope: { from: 'bounces+d1@orlasund.example', to } }); // prettier-ignore
  transport.close();
};

it('what comes back lies in a mailbox on wish, with whom it was put down for, until it is fetched', async () => {
  await open();
  await call('PUT', '/server', { isUp: true, isLeft: true });
  await send('runa.aske@orlasund.example');
  const mail = room.mails[0]!;
  expect(await (await call('POST', `/mails/${mail.id}/reply`, { words: 'May I?' })).json()).toEqual({
    response: 'It lies in the mailbox.',
  });
  await call('PUT', '/behaviour', { address: 'per.aske@orlasund.example', behaviour: 'returns' });
  await send('per.aske@orlasund.example');
  await vi.waitFor(() => expect(room.mailbox!.all).toHaveLength(2));
  const imap = client();
  await imap.connect();
  const box = await imap.mailboxOpen('INBOX');
  expect([box.exists, box.uidNext]).toEqual([2, 3]);
  const [reply, report] = await imap.fetchAll('1:*', { uid: true, source: true, envelope: true, size: true, internalDate: true }, { uid: true }); // prettier-ignore
  expect(reply!.envelope).toMatchObject({ subject: 'Re: Fire', from: [{ address: 'runa.aske@orlasund.example' }] });
  const read = await simpleParser(reply!.source!);
  expect(read.headers.get('delivered-to')).toMatchObject({ text: 'replies+n1@orlasund.example' });
  expect(report!.source!.toString()).toMatch(/^Return-Path: <>\r\nDelivered-To: bounces\+d1@orlasund.example/);
  await imap.messageFlagsAdd('1', ['\\Seen'], { uid: true });
  expect([...room.mailbox!.all[0]!.flags]).toEqual(['\\Seen']);
  // whoever waits is told that something came
  let came = 0;
  imap.on('exists', () => (came += 1));
  await call('POST', `/mails/${mail.id}/reply`, { words: 'Again?' });
  await vi.waitFor(() => expect(came).toBe(1));
  await imap.logout();
});

it('refuses another password, and made anew it gives other numbers', async () => {
  await open();
  const wrong = client('no');
  wrong.on('error', () => undefined);
  await expect(wrong.connect()).rejects.toMatchObject({ authenticationFailed: true });
  room.mailbox!.deliver(Buffer.from('Subject: a\r\n\r\nx'));
  room.mailbox!.renew();
  const imap = client();
  await imap.connect();
  expect(Number((await imap.mailboxOpen('INBOX')).uidValidity)).toBe(2);
  await expect(imap.mailboxOpen('Elsewhere')).rejects.toThrow();
  await imap.logout();
});
