import { appendFile, mkdtemp, rm } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { simpleParser, type ParsedMail } from 'mailparser';
import { createTransport } from 'nodemailer';
import type { Behaviour } from '@nudrik/contract';
import { SMTPServer } from 'smtp-server';
import { afterEach, expect, it, test } from 'vitest';
import { openPostRoom, type PostRoom } from './post-room.ts';

let room: PostRoom;
afterEach(() => room.close());

const send = (to: string, dsn?: object) => {
  const transport = createTransport({ host: '127.0.0.1', port: room.smtpPort, ignoreTLS: true });
  return transport
    .sendMail({
      from: 'training@orlasund.example',
      to,
      subject: 'Fire Teams Aboard',
      text: 'Hello',
      html: '<p>Hello</p>',
      ...(dsn ? { dsn } : {}),
    } as never)
    .finally(() => transport.close());
};
const get = async (path: string) => (await fetch(`http://127.0.0.1:${room.httpPort}${path}`)).json() as Promise<Record<string, never>>;
const put = (path: string, body: object) =>
  fetch(`http://127.0.0.1:${room.httpPort}${path}`, {
    method: 'PUT',
    headers: { 'content-type': 'application/json' },
    body: JSON.stringify(body),
  });

it('keeps its mail and how addresses misbehave over a restart, also over a sudden end', async () => {
  const folder = await mkdtemp(join(tmpdir(), 'post-room-'));
  const open = () => openPostRoom({ smtpPort: 0, httpPort: 0, reportPort: 0, folder, behaviours: { 'gavin@orlasund.example': 'bounce' } });
  room = await open();
  await send('runa.aske@orlasund.example');
  await put('/behaviour', { address: 'gavin@orlasund.example', behaviour: 'ok' });
  await room.close();
  await appendFile(join(folder, 'mails.jsonl'), '{"id":"2","to":"cut o');
  room = await open();
  expect(await get('/mails')).toMatchObject({ total: 1, behaviours: [], mails: [{ id: '1', to: 'runa.aske@orlasund.example' }] });
  expect(await get('/mails/1')).toMatchObject({ subject: 'Fire Teams Aboard', html: '<p>Hello</p>' });
  await send('odd.aske@orlasund.example');
  expect((await get('/mails'))['mails']).toMatchObject([{ id: '2', to: 'odd.aske@orlasund.example' }, { id: '1' }]);
  await room.close();
  room = await open();
  expect(await get('/mails')).toMatchObject({ total: 2 });
  await rm(folder, { recursive: true });
});

it('keeps what arrives, readable as HTML, text, headers and .eml', async () => {
  room = await openPostRoom({ smtpPort: 0, httpPort: 0, reportPort: 0 });
  await send('runa.aske@orlasund.example');
  const list = await get('/mails?find=runa');
  expect(list['total']).toBe(1);
  const letter = await get('/mails/1');
  expect(letter).toMatchObject({ subject: 'Fire Teams Aboard', html: '<p>Hello</p>' });
  expect(await (await fetch(`http://127.0.0.1:${room.httpPort}/mails/1/eml`)).text()).toContain('Subject: Fire Teams Aboard');
  expect((await fetch(`http://127.0.0.1:${room.httpPort}/mails/99`)).status).toBe(404);
});

test.each([
  ['bounce', 550],
  ['full', 452],
] as const)('an address can be told to %s', async (behaviour, code) => {
  room = await openPostRoom({ smtpPort: 0, httpPort: 0, reportPort: 0 });
  await put('/behaviour', { address: 'Runa@orlasund.example', behaviour });
  await expect(send('runa@orlasund.example')).rejects.toMatchObject({ responseCode: code });
  await put('/behaviour', { address: 'runa@orlasund.example', behaviour: 'ok' });
  await expect(send('runa@orlasund.example')).resolves.toBeDefined();
});

it('an address can be slow', async () => {
  room = await openPostRoom({
    smtpPort: 0,
    httpPort: 0,
    reportPort: 0,
    slowness: 120,
    behaviours: { 'runa@orlasund.example': 'slow' },
  });
  const began = Date.now();
  await send('runa@orlasund.example');
  expect(Date.now() - began).toBeGreaterThanOrEqual(110);
});

it('goes down with its connections and comes up on the same port', async () => {
  room = await openPostRoom({ smtpPort: 0, httpPort: 0, reportPort: 0 });
  const port = room.smtpPort;
  await put('/server', { isUp: false });
  await expect(send('runa@orlasund.example')).rejects.toMatchObject({
    code: expect.stringMatching(/ECONNREFUSED|ESOCKET/) as string,
  });
  await put('/server', { isUp: true });
  expect(room.smtpPort).toBe(port);
  await send('runa@orlasund.example');
});

it.each([
  ['password', 535, /5\.7\.8/],
  ['tls', 530, /STARTTLS/],
] as const)('refuses mail of everybody for %s, until it takes it again', async (refuses, responseCode, words) => {
  room = await openPostRoom({ smtpPort: 0, httpPort: 0, reportPort: 0 });
  await put('/server', { isUp: true, refuses });
  await expect(send('runa@orlasund.example')).rejects.toMatchObject({
    responseCode,
    command: 'MAIL FROM',
    response: expect.stringMatching(words) as string,
  });
  await put('/server', { isUp: true });
  await send('runa@orlasund.example');
});

it('is looked through by address and subject, and by the words of its mails on wish', async () => {
  room = await openPostRoom({ smtpPort: 0, httpPort: 0, reportPort: 0 });
  await send('runa@orlasund.example');
  const total = async (query: string) =>
    ((await (await fetch(`http://127.0.0.1:${room.httpPort}/mails?${query}`)).json()) as { total: number }).total;
  expect([await total('find=RUNA'), await total('find=nobody')]).toEqual([1, 0]);
  expect([await total('find=hello'), await total('find=hello&inText=true')]).toEqual([0, 1]);
});

/** Whoever wrote to the post room, listening for what comes back. */
async function listening(behaviours: Record<string, Behaviour> = {}): Promise<{ came: ParsedMail[]; close(): Promise<void> }> {
  const came: ParsedMail[] = [];
  const listener = new SMTPServer({
    authOptional: true,
    disabledCommands: ['AUTH', 'STARTTLS'],
    onData: (stream, _session, done) => void simpleParser(stream, { keepDeliveryStatus: true }).then((mail) => (came.push(mail), done())),
  });
  await new Promise<void>((ready) => listener.listen(0, '127.0.0.1', () => ready()));
  room = await openPostRoom({ smtpPort: 0, httpPort: 0, reportPort: (listener.server.address() as { port: number }).port, behaviours });
  return {
    came,
    async close() {
      await room.close(); // and with it its connections to the listener
      await new Promise<void>((closed) => listener.close(() => closed()));
    },
  };
}
const statusIn = (mail: ParsedMail): string =>
  mail.attachments.find(({ contentType }) => contentType === 'message/delivery-status')!.content.toString();

it('tells the sender what was delivered, under the sender’s own envelope id', async () => {
  const { came, close } = await listening();
  await send('runa@orlasund.example', { id: '4711', return: 'headers', notify: ['success'], recipient: 'runa@orlasund.example' });
  await expect.poll(() => came.length).toBe(1);
  expect(statusIn(came[0]!)).toMatch(/Original-Envelope-Id: 4711[^]*Action: delivered/);
  await close();
});

it('an address takes mail and returns it later, whether reports were asked for or not', async () => {
  const { came, close } = await listening({ 'runa@orlasund.example': 'returns' });
  await send('runa@orlasund.example');
  await expect.poll(() => came.length).toBe(1);
  expect(statusIn(came[0]!)).toMatch(/Action: failed\r?\nStatus: 5\.1\.1/);
  await close();
});

it('whoever is away says so by itself, once, as machines do; whoever writes back does as people do', async () => {
  const { came, close } = await listening({ 'runa@orlasund.example': 'away', '@elsewhere.example': 'answers' });
  await send('runa@orlasund.example');
  await send('runa@orlasund.example');
  await send('per@elsewhere.example');
  await expect.poll(() => came.length).toBe(2);
  const away = came.find(({ headers }) => headers.has('auto-submitted'))!;
  expect([away.headers.get('auto-submitted'), away.subject]).toEqual(['auto-replied', 'Automatic reply: Fire Teams Aboard']);
  const reply = came.find((mail) => mail !== away)!;
  expect(reply).toMatchObject({
    subject: 'Re: Fire Teams Aboard',
    from: { text: 'per@elsewhere.example' },
    to: { text: 'training@orlasund.example' },
  });
  expect(reply.inReplyTo).toMatch(/^<.*>$/);
  expect(reply.text).toContain('> Hello');
  await close();
});

it('whoever answers after some hours does so once it is so late, also where the post room was shut between', async () => {
  const folder = await mkdtemp(join(tmpdir(), 'post-room-'));
  const came: ParsedMail[] = [];
  const inbound = new SMTPServer({ authOptional: true, disabledCommands: ['STARTTLS'], onData: (stream, _session, done) => void simpleParser(stream).then((mail) => (came.push(mail), done())) }); // prettier-ignore
  await new Promise<void>((resolve) => inbound.listen(0, '127.0.0.1', resolve));
  const reportPort = (inbound.server.address() as { port: number }).port;
  const open = async () => (room = await openPostRoom({ smtpPort: 0, httpPort: 0, reportPort, folder }));
  const clock = async (now: number) => (await fetch(`http://127.0.0.1:${room.httpPort}/clock`, { method: 'POST', headers: { 'content-type': 'application/json' }, body: JSON.stringify({ now: new Date(now).toISOString() }) })).json(); // prettier-ignore
  await open();
  await put('/behaviour', { address: 'runa@orlasund.example', behaviour: 'answers', afterHours: 3 });
  await put('/behaviour', { address: 'per@orlasund.example', behaviour: 'returns', afterHours: 1 });
  await send('runa@orlasund.example');
  await send('per@orlasund.example');
  expect((await get('/mails'))['behaviours']).toEqual([
    { address: 'per@orlasund.example', behaviour: 'returns', afterHours: 1 },
    { address: 'runa@orlasund.example', behaviour: 'answers', afterHours: 3 },
  ]);
  const taken = Date.parse(room.mails[1]!.receivedAt);
  await room.close();
  await open();
  const { nextAt } = (await clock(taken)) as { nextAt: string };
  expect(Date.parse(nextAt) - taken).toBeLessThan(3_700_000);
  expect(came).toEqual([]);
  await clock(taken + 2 * 3_600_000);
  expect(came.map(({ subject }) => subject)).toEqual(['Undelivered Mail Returned to Sender']);
  expect(await clock(taken + 4 * 3_600_000)).toEqual({ nextAt: null });
  expect(came.map(({ subject }) => subject)).toEqual(['Undelivered Mail Returned to Sender', 'Re: Fire Teams Aboard']);
  await clock(taken + 9 * 3_600_000);
  expect(came).toHaveLength(2);
  // it ends with the connections of the post room
  inbound.close();
  await rm(folder, { recursive: true });
});

it('its reader writes back what somebody types, and hears what was said to it', async () => {
  const { came, close } = await listening();
  await send('runa@orlasund.example');
  const answer = await fetch(`http://127.0.0.1:${room.httpPort}/mails/1/reply`, {
    method: 'POST',
    headers: { 'content-type': 'application/json' },
    body: JSON.stringify({ words: 'Until Friday?' }),
  });
  expect(await answer.json()).toMatchObject({ response: expect.stringContaining('250') as string });
  expect(came[0]!.text).toMatch(/^Until Friday\?\n\nOn .* wrote:\n> Hello/);
  await close();
});

it('an address takes mail at the second try alone, and one hangs up in the midst', async () => {
  room = await openPostRoom({
    smtpPort: 0,
    httpPort: 0,
    reportPort: 0,
    behaviours: { 'runa@orlasund.example': 'grey', 'per@orlasund.example': 'drops' },
  });
  await expect(send('runa@orlasund.example')).rejects.toMatchObject({ responseCode: 451 });
  await expect(send('runa@orlasund.example')).resolves.toBeDefined();
  await expect(send('per@orlasund.example')).rejects.toMatchObject({ code: 'ECONNECTION' });
  expect(await get('/mails')).toMatchObject({ total: 1 });
});
