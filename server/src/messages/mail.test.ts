import { afterEach, beforeEach, describe, expect, it, test } from 'vitest';
import { createTransport } from 'nodemailer';
import { SMTPServer } from 'smtp-server';
import { reportMail } from '../testing.ts';
import { listenInbound, type Delivered } from './inbound.ts';
import { readMail } from './read-mail.ts';
import type { Letter } from './channel.ts';
import { handoverOf, openMailChannel, type MailError } from './mail-channel.ts';

const LETTER: Letter = {
  messageId: '4711',
  deliveryId: '1',
  envelopeId: '4711.0123456789abcdef0123456789abcdef',
  headerId: '<notice-1@orlasund.example>',
  fromName: 'Safety training',
  fromAddress: 'training@orlasund.example',
  replyTo: 'tora.hauge@orlasund.example',
  toName: 'Runa Aske',
  toAddress: 'runa@orlasund.example',
  listId: 'training.orlasund.example',
  organisation: 'Orlasund Ferries',
  subject: 'Fire Teams Aboard is due in 2 days',
  html: '<p>Hello</p>',
  text: 'Hello',
  date: new Date('2027-03-17T16:00:00Z'),
};

describe('delivery reports', () => {
  it('are read by the envelope id that was sent along', async () => {
    const raw = reportMail([
      'Original-Envelope-Id: 4711.0123456789abcdef0123456789abcdef',
      '',
      'Final-Recipient: rfc822; runa@orlasund.example',
      'Action: delivered',
      'Status: 2.0.0',
      'Diagnostic-Code: smtp; 250 ok',
      'Last-Attempt-Date: Wed, 17 Mar 2027 16:00:05 GMT',
    ]);
    expect((await readMail(raw, '')).report).toEqual({
      envelopeId: '4711.0123456789abcdef0123456789abcdef',
      action: 'delivered',
      status: '2.0.0',
      words: '250 ok',
      at: new Date('2027-03-17T16:00:05Z'),
    });
  });
  test.each([
    ['an action that is none', reportMail(['Original-Envelope-Id: 1.0', '', 'Action: drop table'])],
    ['a plain reply', Buffer.from('From: runa@orlasund.example\r\nSubject: Re: due\r\n\r\nCan I have until Friday?\r\n')],
  ])('%s is none', async (_, raw) => expect((await readMail(raw, '')).report).toBeNull());

  it('come in by SMTP', async () => {
    const found: Delivered[] = [];
    const probe = new SMTPServer();
    const port = await new Promise<number>((resolve) =>
      probe.listen(0, '127.0.0.1', () => resolve((probe.server.address() as { port: number }).port)),
    );
    await new Promise<void>((closed) => probe.close(() => closed()));
    const close = await listenInbound(port, { info() {}, warn() {}, error() {} }, (entry) => Promise.resolve(void found.push(entry)));
    const transport = createTransport({ host: '127.0.0.1', port, ignoreTLS: true });
    await transport.sendMail({
      envelope: { from: '', to: 'training@orlasund.example' },
      raw: reportMail(['Original-Envelope-Id: 9', '', 'Action: delivered', 'Status: 2.0.0']),
    });
    transport.close();
    const transport2 = () => createTransport({ host: '127.0.0.1', port, ignoreTLS: true });
    expect(found).toMatchObject([{ from: '', to: ['training@orlasund.example'] }]);
    expect((await readMail(found[0]!.raw, '')).report).toEqual({
      envelopeId: '9',
      action: 'delivered',
      status: '2.0.0',
      words: '2.0.0',
      at: null,
    });
    const large = transport2();
    await expect(
      large.sendMail({ envelope: { from: '', to: 'training@orlasund.example' }, raw: Buffer.alloc(15_500_000, 'x\r\n') }),
    ).rejects.toMatchObject({ responseCode: 552 });
    large.close();
    await close();
  });
});

describe('handing over', () => {
  let server: SMTPServer;
  let port: number;
  let raw = '';
  let refusal: (Error & { responseCode?: number }) | null = null;
  beforeEach(async () => {
    refusal = null;
    server = new SMTPServer({
      authOptional: true,
      disabledCommands: ['AUTH', 'STARTTLS'],
      onRcptTo: (_address, _session, done) => done(refusal),
      onData: (stream, _session, done) => {
        raw = '';
        stream.on('data', (chunk: Buffer) => (raw += chunk.toString()));
        stream.on('end', () => done());
      },
    });
    port = await new Promise<number>((resolve) =>
      server.listen(0, '127.0.0.1', () => resolve((server.server.address() as { port: number }).port)),
    );
  });
  afterEach(() => new Promise<void>((closed) => server.close(() => closed())));
  const send = async () => {
    const mailer = openMailChannel(`smtp://127.0.0.1:${port}`);
    const result = await mailer.send(LETTER);
    mailer.close();
    return result;
  };

  it('gives both forms, a reply address, a list id, a stable Message-ID and the house’s time', async () => {
    expect((await send()).outcome).toBe('accepted');
    for (const header of [
      'From: Safety training <training@orlasund.example>',
      'Reply-To: tora.hauge@orlasund.example',
      'Message-ID: <notice-1@orlasund.example>',
      'List-ID: Orlasund Ferries training <training.orlasund.example>',
      'Date: Wed, 17 Mar 2027 16:00:00 +0000',
      'Auto-Submitted: auto-generated',
      'text/plain',
      'text/html',
    ])
      expect(raw.replace(/"/g, '')).toContain(header);
  });
  test.each([
    [550, '5.1.1 no such mailbox', 'refused'],
    [550, '5.2.1 mailbox disabled', 'refused'],
    [550, 'no such mailbox', 'later'],
    [550, '5.7.1 not from you', 'later'],
    [452, '4.2.2 mailbox full', 'later'],
  ])('%i is taken as it is meant', async (code, words, outcome) => {
    refusal = Object.assign(new Error(words), { responseCode: code });
    const result = await send();
    expect(result.outcome).toBe(outcome);
    expect(result.response).toContain(words);
  });
  it('a server that never ends its answer is given up on, and the connection with it', async () => {
    const { createServer } = await import('node:net');
    const ended: boolean[] = [];
    const endless = createServer((socket) => {
      socket.resume().write('220 here\r\n');
      const saying = setInterval(() => socket.write('250-still\r\n'), 50);
      socket.on('close', () => (clearInterval(saying), ended.push(true)));
      socket.on('error', () => undefined);
    });
    await new Promise<void>((listening) => endless.listen(0, '127.0.0.1', listening));
    const mailer = openMailChannel(`smtp://127.0.0.1:${(endless.address() as { port: number }).port}`, null, 1_000);
    expect(await mailer.send(LETTER)).toEqual({ outcome: 'unknown', response: 'the mail server gave no answer within 1 seconds' });
    await expect.poll(() => ended).toEqual([true]);
    mailer.close();
    await new Promise((closed) => endless.close(closed));
  });
  it('a server that does not answer is tried later', async () => {
    const mailer = openMailChannel('smtp://127.0.0.1:1');
    expect(await mailer.send(LETTER)).toEqual({ outcome: 'later', scope: 'channel', response: 'the mail server does not answer' });
    mailer.close();
  });
});

describe('whose matter an answer is', () => {
  test.each<[string, Partial<MailError>, object]>([
    ['a wrong password', { responseCode: 535, command: 'AUTH PLAIN', response: '535 5.7.8 no' }, { scope: 'channel' }],
    ['no STARTTLS', { responseCode: 502, command: 'STARTTLS', code: 'ETLS', response: '502 no' }, { scope: 'channel' }],
    ['a greeting that refuses', { responseCode: 554, command: 'CONN', response: '554 no service' }, { scope: 'channel' }],
    ['a sender that is not let', { responseCode: 550, command: 'MAIL FROM', response: '550 5.7.1 not you' }, { scope: 'channel' }],
    ['a server that closes', { responseCode: 421, command: 'RCPT TO', response: '421 4.3.2 closing' }, { scope: 'channel' }],
    ['a certificate that is none', { code: 'ESOCKET', originalCode: 'DEPTH_ZERO_SELF_SIGNED_CERT', command: 'CONN', message: 'self-signed certificate' }, { scope: 'channel', response: "the mail server's certificate is not accepted: self-signed certificate" }], // prettier-ignore
    ['a name that is not known', { code: 'EDNS', command: 'CONN' }, { scope: 'channel', response: 'the name of the mail server is not known' }],
    ['a greeting that does not come', { code: 'ETIMEDOUT', timeoutType: 'GREETING_TIMEOUT', command: 'CONN' }, { scope: 'channel' }],
    ['a letter that is too large', { responseCode: 552, command: 'MAIL FROM', response: '552 5.3.4 too big' }, { scope: 'letter' }],
    ['a letter that is not liked', { responseCode: 554, command: 'DATA', response: '554 5.7.1 spam' }, { scope: 'letter' }],
    ['an address that there is not', { responseCode: 550, command: 'RCPT TO', response: '550 5.1.1 no such user' }, { outcome: 'refused' }],
    ['a mailbox that is switched off', { responseCode: 550, command: 'RCPT TO', response: '550 5.2.1 disabled' }, { outcome: 'refused' }],
    ['an address, refused for policy', { responseCode: 550, command: 'RCPT TO', response: '550 5.7.1 relaying denied' }, { scope: 'address' }],
    ['a full mailbox', { responseCode: 452, command: 'RCPT TO', response: '452 4.2.2 full' }, { scope: 'address' }],
    ['a connection that broke off', { code: 'ECONNECTION', command: 'CONN' }, { outcome: 'unknown' }],
    ['a silence in the midst', { code: 'ETIMEDOUT', timeoutType: 'SOCKET_TIMEOUT', command: 'CONN' }, { outcome: 'unknown' }],
  ])('%s', (_, error, meant) => expect(handoverOf(Object.assign(new Error('x'), error))).toMatchObject(meant)); // prettier-ignore
});

describe('an address of any script', () => {
  /** A mail server that keeps to whom it was asked to bring a letter. */
  const serve = async (hideSMTPUTF8: boolean) => {
    const asked: string[] = [];
    const texts: string[] = [];
    const server = new SMTPServer({
      authOptional: true,
      hideSMTPUTF8,
      onRcptTo: ({ address }, _, done) => {
        asked.push(address);
        // as servers answer that know nothing of other letters (RFC 5321)
        done(hideSMTPUTF8 && /[^ -~]/.test(address) ? Object.assign(new Error('5.1.3 bad address'), { responseCode: 553 }) : null);
      },
      onData: (stream, _, done) => void stream.on('data', (part: Buffer) => texts.push(part.toString())).on('end', () => done()),
    });
    const port = await new Promise<number>((resolve) => server.listen(0, '127.0.0.1', () => resolve((server.server.address() as { port: number }).port)));
    const channel = openMailChannel(`smtp://127.0.0.1:${port}`);
    return { asked, texts, channel, close: () => new Promise<void>((closed) => (channel.close(), server.close(() => closed()))) };
  };

  it('goes to a domain of other letters as the domain name system has it, and with a name of other letters where the server takes those', async () => {
    const { asked, texts, channel, close } = await serve(false);
    for (const toAddress of ['runa@ørlasund.example', 'rúna@orlasund.example'])
      expect(await channel.send({ ...LETTER, toAddress, headerId: `<${asked.length}@orlasund.example>` })).toMatchObject({ outcome: 'accepted' });
    // this server tells us the letters again
    expect(asked).toEqual(['runa@ørlasund.example', 'rúna@orlasund.example']);
    expect(texts.join('')).toMatch(/^To: .*xn--rlasund-p1a\.example/m);
    await close();
  });

  it('that a server does not take is that address’s matter, and nobody else’s', async () => {
    const { channel, close } = await serve(true);
    expect(await channel.send({ ...LETTER, toAddress: 'rúna@orlasund.example' })).toMatchObject({ outcome: 'refused', response: expect.stringContaining('5.1.3') });
    expect(await channel.send({ ...LETTER, headerId: '<next@orlasund.example>' })).toMatchObject({ outcome: 'accepted' });
    await close();
  });
}); // prettier-ignore
