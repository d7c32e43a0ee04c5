import { appendFile, mkdtemp, rm } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { createTransport } from 'nodemailer';
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

it('tells the sender what was delivered, under the sender’s own envelope id', async () => {
  const reports: string[] = [];
  const listener = new SMTPServer({ authOptional: true, disabledCommands: ['AUTH', 'STARTTLS'], onData: (stream, _session, done) => { let text = ''; stream.on('data', (chunk: Buffer) => (text += chunk.toString())); stream.on('end', () => { reports.push(text); done(); }); } }); // prettier-ignore
  await new Promise<void>((ready) => listener.listen(0, '127.0.0.1', () => ready()));
  room = await openPostRoom({
    smtpPort: 0,
    httpPort: 0,
    reportPort: (listener.server.address() as { port: number }).port,
  });
  await send('runa@orlasund.example', {
    id: '4711',
    return: 'headers',
    notify: ['success'],
    recipient: 'training@orlasund.example',
  });
  await expect.poll(() => reports.length).toBe(1);
  expect(reports[0]).toContain('message/delivery-status');
  await room.close(); // and with it its connection to the listener
  await new Promise<void>((closed) => listener.close(() => closed()));
});
