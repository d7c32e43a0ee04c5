import { afterEach, beforeEach, describe, expect, it, test } from 'vitest';
import { createTransport } from 'nodemailer';
import { SMTPServer } from 'smtp-server';
import { listenInbound, readDeliveryReport, type DeliveryReport } from './inbound.ts';
import type { Letter } from './channel.ts';
import { openMailChannel } from './mail-channel.ts';

const LETTER: Letter = {
  messageId: '4711',
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

const report = (fields: string[]): Buffer =>
  Buffer.from(
    [
      'From: postmaster@elsewhere.example',
      'To: training@orlasund.example',
      'Subject: Delivery report',
      'MIME-Version: 1.0',
      'Content-Type: multipart/report; report-type=delivery-status; boundary=b',
      '',
      '--b',
      'Content-Type: text/plain',
      '',
      'Delivered.',
      '--b',
      'Content-Type: message/delivery-status',
      '',
      ...fields,
      '',
      '--b--',
      '',
    ].join('\r\n'),
  );

describe('delivery reports', () => {
  it('are read by the envelope id that was sent along', async () => {
    const raw = report([
      'Original-Envelope-Id: 4711',
      '',
      'Final-Recipient: rfc822; runa@orlasund.example',
      'Action: delivered',
      'Status: 2.0.0',
      'Diagnostic-Code: smtp; 250 ok',
      'Last-Attempt-Date: Wed, 17 Mar 2027 16:00:05 GMT',
    ]);
    expect(await readDeliveryReport(raw)).toEqual({
      envelopeId: '4711',
      action: 'delivered',
      words: '250 ok',
      at: new Date('2027-03-17T16:00:05Z'),
    });
  });
  test.each([
    ['a report without an envelope id', report(['', 'Action: delivered'])],
    ['an envelope id that is not ours', report(['Original-Envelope-Id: abc; drop table', '', 'Action: delivered'])],
    ['a plain reply', Buffer.from('From: runa@orlasund.example\r\nSubject: Re: due\r\n\r\nCan I have until Friday?\r\n')],
  ])('%s is none', async (_, raw) => expect(await readDeliveryReport(raw)).toBeNull());

  it('come in by SMTP', async () => {
    const found: DeliveryReport[] = [];
    const probe = new SMTPServer();
    const port = await new Promise<number>((resolve) =>
      probe.listen(0, '127.0.0.1', () => resolve((probe.server.address() as { port: number }).port)),
    );
    await new Promise<void>((closed) => probe.close(() => closed()));
    const close = await listenInbound(port, (entry) => Promise.resolve(void found.push(entry)));
    const transport = createTransport({ host: '127.0.0.1', port, ignoreTLS: true });
    await transport.sendMail({
      envelope: { from: '', to: 'training@orlasund.example' },
      raw: report(['Original-Envelope-Id: 9', '', 'Action: delivered', 'Status: 2.0.0']),
    });
    transport.close();
    expect(found).toEqual([{ envelopeId: '9', action: 'delivered', words: '2.0.0', at: null }]);
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
    [550, 'no such mailbox', 'refused'],
    [452, 'mailbox full', 'later'],
  ])('%i is taken as it is meant', async (code, words, outcome) => {
    refusal = Object.assign(new Error(words), { responseCode: code });
    const result = await send();
    expect(result.outcome).toBe(outcome);
    expect(result.response).toContain(words);
  });
  it('a server that does not answer is tried later', async () => {
    const mailer = openMailChannel('smtp://127.0.0.1:1');
    expect(await mailer.send(LETTER)).toEqual({ outcome: 'later', response: 'the mail server does not answer' });
    mailer.close();
  });
});
