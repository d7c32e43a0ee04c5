import { simpleParser } from 'mailparser';
import { afterAll, beforeEach, describe, expect, it } from 'vitest';
import { rows } from '../db/db.ts';
import { takeMail } from '../messages/arrive.ts';
import type { Letter } from '../messages/channel.ts';
import { readAddress, signedAddress } from '../messages/reply-address.ts';
import { mailOf } from '../messages/mail-channel.ts';
import { createTransport } from 'nodemailer';
import { assignAt, linkInto, makeCourse, makeCrew, openTestHouse, reportMail, type TestHouse } from '../testing.ts';
import { todayNeeds } from '../reports/needs.ts';
import { drain } from '../worker.ts';
import {
  answer,
  arrivalList,
  conversationList,
  conversationView,
  giveTo,
  sendAgain,
  setAside,
  setOpen,
  takeArrival,
} from './conversations.ts';
import { dropAnswerFile, forgetAnswerFiles, listAnswerFiles, putAnswerFile } from './answer-files.ts';
import { writeConversation } from './conversation.export.ts';
import { getHouse } from '../house/house.ts';

let house: TestHouse;
let crew: Record<string, string>;
let assignment: string;
let invitation: Letter;
beforeEach(async () => {
  await house?.close();
  house = await openTestHouse();
  await house.db.query("update settings set inbound_address = 'replies@orlasund.example', replies_to_trainer = true");
  crew = await makeCrew(house);
  const course = await makeCourse(house, crew['tora']!);
  [assignment] = (await assignAt(house, course, [crew['runa']!], '2027-03-19T16:00:00Z')) as [string];
  house.clock.at = Date.parse('2027-03-01T09:45:00Z');
  await drain(house.deps, house.mailer);
  invitation = house.mailer.letters[0]!;
  house.mailer.letters = [];
});
afterAll(() => house.close());

interface Mail {
  from?: string;
  envelope?: string;
  to?: string;
  subject?: string;
  text?: string;
  head?: Record<string, string>;
  files?: { filename: string; content: string | Buffer }[];
  messageId?: string;
}
let n = 0;
/** A mail comes in, as a mail program writes it. */
async function comes({
  from = 'Runa Aske <runa@orlasund.example>',
  envelope,
  to = invitation.replyTo,
  subject = `Re: ${invitation.subject}`,
  text = 'Can I have until Friday?',
  head = {},
  files = [],
  messageId = `<mail-${++n}@elsewhere.example>`,
}: Mail = {}): Promise<string> {
  const composer = createTransport({ streamTransport: true, buffer: true });
  const { message } = await composer.sendMail({ from, to, subject, text, attachments: files, headers: head, messageId }); // prettier-ignore
  const address = /[^<\s]+@[^>\s]+/.exec(from)?.[0] ?? '';
  await takeMail(house.deps, { raw: message as Buffer, from: envelope ?? address, to: [to] });
  return messageId;
}
const send = async (): Promise<Letter[]> => {
  house.mailer.letters = [];
  await drain(house.deps, house.mailer);
  return house.mailer.letters;
};
const only = async () => {
  const { rows: found } = await conversationList(house.deps, { show: 'all' });
  expect(found).toHaveLength(1);
  return conversationView(house.deps, found[0]!.id);
};
const sides = async (): Promise<string[]> => (await only()).posts.map(({ side, words }) => `${side}: ${words}`);

describe('a reply', () => {
  it('comes to a signed address that nobody else’s mail has, and begins one conversation with whoever has the course', async () => {
    const { envelopeKey } = await getHouse(house.db);
    expect(readAddress(envelopeKey, invitation.replyTo)?.kind).toBe('notice');
    expect(readAddress(envelopeKey, invitation.replyTo.toUpperCase())?.kind).toBe('notice');
    await comes();
    await comes({ text: 'Or until Monday?' });
    const view = await only();
    expect(view).toMatchObject({ person: { name: 'Runa Aske' }, course: { title: 'Fire Teams Aboard' }, assignmentId: assignment, reader: { name: 'Tora Aske' }, isOpen: true, waitsSince: '2027-03-01T09:45:00.000Z' }); // prettier-ignore
    expect(view.posts.map(({ words }) => words)).toEqual(['Can I have until Friday?', 'Or until Monday?']);
    const told = await send();
    expect(told.map(({ toAddress, subject }) => `${toAddress}: ${subject}`)).toEqual(
      Array(2).fill(`tora@orlasund.example: Runa Aske: Re: ${invitation.subject}`),
    );
    expect(mailOf(told[0]!)).toMatchObject({ headers: { 'Auto-Submitted': 'auto-generated' } });
    expect(await todayNeeds(house.deps)).toContainEqual(
      expect.objectContaining({ label: 'Reply waits', act: expect.objectContaining({ link: `/replies/${view.id}` }) as unknown }),
    );
  });

  it('that is handed over twice stands there once', async () => {
    const raw = Buffer.from(
      `From: runa@orlasund.example\r\nTo: ${invitation.replyTo}\r\nSubject: Re: x\r\nMessage-ID: <one@x.example>\r\n\r\nHello\r\n`,
    );
    const mail = { raw, from: 'runa@orlasund.example', to: [invitation.replyTo] };
    const byAnother = { ...mail, raw: Buffer.from(`Received: by relay.example; Mon, 1 Mar 2027 10:00:00 +0000\r\n${raw.toString()}`) };
    await Promise.all([takeMail(house.deps, mail), takeMail(house.deps, mail), takeMail(house.deps, byAnother)]);
    await takeMail(house.deps, byAnother);
    expect(await sides()).toEqual(['person: Hello']);
    expect(await send()).toHaveLength(1);
  });

  it('keeps neither personal links nor what it repeats in sight', async () => {
    const link = `http://nudrik.example/go/${await linkInto(house, assignment)}`;
    await comes({
      text: `It does not open: ${link}\n\nOn Mon 1 Mar 2027 at 10:45, Safety training <training@orlasund.example> wrote:\n> Begin: ${link}`,
    });
    const [post] = (await only()).posts;
    expect(post!.words).toBe('It does not open: (personal link)');
    expect(post!.whole).toContain('> Begin: (personal link)');
    const stored = await rows<{ text: string }>(
      house.db,
      'select body as text from conversation_posts union all select body || html from outbox',
    );
    expect(stored.map(({ text }) => text).join('\n')).not.toContain(link.slice(-20));
  });

  it('from another address is kept, and says so; without a signed address it is nobody’s, though it refers to a message', async () => {
    await comes({ from: 'runa.private@elsewhere.example' });
    expect((await only()).posts[0]).toMatchObject({ author: 'Runa Aske', strangeAddress: 'runa.private@elsewhere.example' });
    expect((await send())[0]!.text).toContain('It came from runa.private@elsewhere.example');
    await comes({ from: 'stranger@elsewhere.example', to: 'replies@orlasund.example', head: { 'In-Reply-To': invitation.headerId } });
    expect((await conversationList(house.deps, { show: 'all' })).counts).toMatchObject({ waiting: 1, others: 1 });
    // from whom it was sent to, the reference is enough
    await comes({ to: 'replies@orlasund.example', text: 'By hand', head: { References: `<other@x.example> ${invitation.headerId}` } });
    expect(await sides()).toEqual(['person: Can I have until Friday?', 'person: By hand']);
  });

  it.each([
    ['one letter of the signature', (address: string) => address.replace(/-(.)/, (_, letter: string) => `-${letter === 'a' ? 'b' : 'a'}`)],
    ['another notice', (address: string) => address.replace(/\+n[^-]+/, '+nzz')],
    ['another kind', (address: string) => address.replace('+n', '+p')],
  ])('to an address with %s belongs to nothing', async (_, forge) => {
    await comes({ to: forge(invitation.replyTo), from: 'stranger@elsewhere.example' });
    expect((await conversationList(house.deps, { show: 'all' })).counts).toEqual({ waiting: 0, open: 0, others: 1 });
  });

  it('with files keeps them within limits, under names that are safe', async () => {
    await comes({ files: [{ filename: '../../etc/passwd', content: 'x' }, { filename: 'proof.pdf', content: '%PDF-1.4\n' }, ...Array.from({ length: 12 }, (_, i) => ({ filename: `${i}.txt`, content: `${i}` }))] }); // prettier-ignore
    const [post] = (await only()).posts;
    expect(post!.files).toHaveLength(10);
    expect(post!.files.slice(0, 2).map(({ name }) => name)).toEqual(['.._.._etc_passwd', 'proof.pdf']);
    expect(post!.words).toContain('8.txt was left out: 10 files are kept of one mail.');
  });

  it('is told to who covers while the trainer is on leave, who may answer it', async () => {
    await house.db.query("insert into leaves (person_id, from_on, to_on, cover_id) values ($1::bigint, '2027-02-20', '2027-03-01', $2::bigint)", [crew['tora'], crew['kari']]); // prettier-ignore
    await comes();
    const [told] = await send();
    expect(told!.toAddress).toBe('kari@orlasund.example');
    expect(await only()).toMatchObject({ reader: { name: 'Tora Aske' }, cover: 'Kari Aske', toldTo: 'kari@orlasund.example' });
    await comes({ from: 'Kari Aske <kari@orlasund.example>', to: told!.replyTo, text: 'Friday it is.' });
    expect((await send()).map(({ toAddress, fromName }) => `${toAddress} ${fromName}`)).toEqual([
      'runa@orlasund.example Kari Aske, Safety training',
    ]);
    house.clock.at += 86_400_000;
    await comes({ text: 'Thank you' });
    expect((await send()).map(({ toAddress }) => toAddress)).toEqual(['tora@orlasund.example']);
  });

  it('goes to the house where the trainer has left, and then to who has the course', async () => {
    await comes();
    await send();
    await house.db.query("update people set left_on = '2027-02-28' where name = 'Tora Aske'");
    await comes({ text: 'Anybody?' });
    expect((await send()).map(({ toAddress }) => toAddress)).toEqual(['tora.hauge@orlasund.example']);
    expect(await sides()).toEqual([
      'person: Can I have until Friday?',
      'record: Tora Aske reads no mail here any more: Safety training takes care of it.',
      'person: Anybody?',
    ]);
    await house.db.query('update courses set owner_id = $1::bigint', [crew['kari']]);
    expect((await only()).reader).toBeNull();
  });
});

describe('an answer', () => {
  it('goes to the person once, as from whoever wrote it, in the thread of their mail program; their word comes back to it', async () => {
    const mine = await comes();
    const { id, posts } = await only();
    const done = await answer(house.deps, id, { words: 'Until Friday is fine.', seen: posts.at(-1)!.id, isDone: false }, 'Tora Aske');
    expect(done).toMatchObject({ waitsSince: null, isOpen: true });
    const letter = (await send()).find(({ toAddress }) => toAddress === 'runa@orlasund.example')!;
    expect(letter).toMatchObject({ fromName: 'Tora Aske, Safety training', subject: `Re: ${invitation.subject}`, inReplyTo: mine, references: `${invitation.headerId} ${mine}`, isByHand: true }); // prettier-ignore
    expect(letter.text).toContain('Until Friday is fine.\n\nTora Aske, Orlasund Ferries.');
    expect(letter.text).toContain('you wrote:\n> Can I have until Friday?');
    const sent = await simpleParser(
      (await createTransport({ streamTransport: true, buffer: true }).sendMail(mailOf(letter))).message as Buffer,
    );
    expect(sent.headers.get('auto-submitted')).toBeUndefined();
    expect((await only()).posts.at(-1)!.mail).toEqual({ state: 'sent', words: 'sent to runa@orlasund.example' });
    expect(await send()).toEqual([]);
    await comes({ to: letter.replyTo, text: 'Thank you!' });
    expect(await sides()).toEqual(['person: Can I have until Friday?', 'house: Until Friday is fine.', 'person: Thank you!']);
    expect((await only()).waitsSince).not.toBeNull();
  });

  it('to what was not read yet is not sent', async () => {
    await comes();
    const { id, posts } = await only();
    await comes({ text: 'Forget it, I am done.' });
    await expect(answer(house.deps, id, { words: 'Friday.', seen: posts.at(-1)!.id, isDone: true }, 'Tora Aske')).rejects.toThrow(
      'Runa Aske wrote in the meantime.',
    );
    expect((await send()).map(({ toAddress }) => toAddress)).not.toContain('runa@orlasund.example');
  });

  it('brings files that somebody put to it, once, and nobody else’s', async () => {
    await comes();
    await send();
    const { id, posts } = await only();
    const draft = { words: 'The form.', seen: posts.at(-1)!.id, isDone: false };
    const [mine, other] =
      (await rows<{ id: string }>(house.db, "insert into accounts (email, name, role) values ('a@x.example', 'Sigrid Aune', 'administrator'), ('b@x.example', 'Tora Aske', 'trainer') returning id")) // prettier-ignore
        .map((row) => row.id) as [string, string];
    const put = (account: string, name = '../form.pdf', content = Buffer.from('%PDF-1.4')) => putAnswerFile(house.deps, id, { id: account }, { name, content }); // prettier-ignore
    const file = await put(mine);
    expect(file).toMatchObject({ name: '.._form.pdf', bytes: 8 });
    await expect(put(mine, 'large.bin', Buffer.alloc(9_999_999))).rejects.toThrow('are the most that goes by mail');
    await expect(put(mine, 'empty.txt', Buffer.alloc(0))).rejects.toThrow('the file is empty');
    await expect(answer(house.deps, id, { ...draft, files: [(await put(other)).id] }, 'Sigrid Aune', mine)).rejects.toThrow(
      'Choose it again; nothing was sent.',
    );
    expect((await listAnswerFiles(house.db, id, mine)).map(({ name }) => name)).toEqual(['.._form.pdf']);
    const left = await put(mine, 'left.txt');
    await dropAnswerFile(house.db, id, mine, left.id);
    await answer(house.deps, id, { ...draft, files: [file.id] }, 'Sigrid Aune', mine);
    const [letter] = await send();
    expect(letter!.files).toEqual([{ name: '.._form.pdf', type: 'application/pdf', content: Buffer.from('%PDF-1.4') }]);
    expect((await only()).posts.at(-1)!.files).toMatchObject([{ name: '.._form.pdf' }]);
    expect(await listAnswerFiles(house.db, id, mine)).toEqual([]);
    const again = { ...draft, seen: (await only()).posts.at(-1)!.id, files: [file.id] };
    await expect(answer(house.deps, id, again, 'Sigrid Aune', mine)).rejects.toThrow('Choose it again');
    await house.db.query("update answer_files set put_at = now() - interval '3 days'");
    await forgetAnswerFiles(house.db);
    expect(await rows(house.db, "select name from files where purpose = 'letter'")).toEqual([{ name: '.._form.pdf' }]);
  });

  it('by mail goes on to the person, with its files; from anybody else it does not', async () => {
    await comes();
    const [told] = await send();
    await comes({ from: 'Somebody <somebody@elsewhere.example>', to: told!.replyTo, text: 'You are all excused.' });
    expect(await send()).toEqual([]);
    expect((await sides()).at(-1)).toContain('was not sent on, since Tora Aske takes care of it:\n\nYou are all excused.');
    await comes({ from: 'Tora Aske <tora@orlasund.example>', to: told!.replyTo, text: 'Friday it is.\n\n-- \nTora', files: [{ filename: 'plan.txt', content: 'the plan' }] }); // prettier-ignore
    const [letter] = await send();
    expect(letter).toMatchObject({ toAddress: 'runa@orlasund.example', files: [{ name: 'plan.txt', content: Buffer.from('the plan') }] });
    expect(letter!.text.startsWith('Friday it is.\n\nTora Aske')).toBe(true);
    expect((await only()).waitsSince).toBeNull();
  });

  it('that does not go is tried again with growing pauses, and one that is refused is on Today until it is sent again', async () => {
    await comes();
    await send();
    const { id, posts } = await only();
    house.mailer.answer = () => ({ outcome: 'later', scope: 'channel', response: '421 closing' });
    await answer(house.deps, id, { words: 'Friday.', seen: posts.at(-1)!.id, isDone: false }, 'Tora Aske');
    await drain(house.deps, house.mailer);
    expect((await only()).posts.at(-1)!.mail).toEqual({ state: 'waiting', words: 'on its way to runa@orlasund.example: “421 closing”' });
    house.clock.at += 60_000;
    house.mailer.answer = () => ({ outcome: 'refused', response: '550 5.1.1 no such user' });
    await drain(house.deps, house.mailer);
    expect((await only()).posts.at(-1)!.mail!.state).toBe('waiting');
    house.clock.at += 3_600_000;
    await drain(house.deps, house.mailer);
    expect((await only()).posts.at(-1)!.mail!.state).toBe('failed');
    expect((await todayNeeds(house.deps)).map(({ label }) => label)).toContain('Answer failed');
    house.mailer.answer = () => ({ outcome: 'accepted', response: '250 ok' });
    await sendAgain(house.deps, id);
    expect((await send()).map(({ toAddress }) => toAddress)).toEqual(['runa@orlasund.example']);
    // taken, and then back: the same
    const [{ id: out, envelopeKey }] = [{ ...(await rows<{ id: string }>(house.db, 'select id from outbox where is_answer'))[0]!, ...(await getHouse(house.db)) }]; // prettier-ignore
    const to = signedAddress(envelopeKey, 'replies@orlasund.example', { kind: 'outbox', id: out });
    await takeMail(house.deps, {
      raw: reportMail(['', 'Action: failed', 'Status: 5.2.2', 'Diagnostic-Code: smtp; 552 full']),
      from: '',
      to: [to],
    });
    expect((await only()).posts.at(-1)!.mail).toMatchObject({ state: 'failed' });
  });
});

describe('a conversation', () => {
  it('is done by hand alone, opens with the next word, and is given to a colleague; each on the record', async () => {
    await comes();
    const { id } = await only();
    await setOpen(house.deps, id, false, 'Tora Aske');
    expect(await only()).toMatchObject({ isOpen: false, waitsSince: null });
    expect((await conversationList(house.deps, { show: 'open' })).rows).toEqual([]);
    await comes({ text: 'One thing more' });
    expect(await only()).toMatchObject({ isOpen: true });
    await house.db.query(
      "insert into accounts (email, name, role, person_id) values ('kari@orlasund.example', 'Kari Aske', 'trainer', $1::bigint)",
      [crew['kari']],
    );
    await expect(giveTo(house.deps, id, crew['odd']!, 'Tora Aske')).rejects.toThrow('Expected a trainer or an administrator');
    await giveTo(house.deps, id, crew['kari']!, 'Tora Aske');
    await send();
    await comes({ text: 'And another' });
    expect((await send()).map(({ toAddress }) => toAddress)).toEqual(['kari@orlasund.example']);
    expect((await sides()).filter((words) => words.startsWith('record'))).toEqual([
      'record: Done, says Tora Aske.',
      'record: Tora Aske gave it to Kari Aske.',
    ]);
  });

  it('is written out as an mbox that another reader reads', async () => {
    await comes({ text: 'From here on I am ill.\nFrom Monday on.' });
    const { id, posts } = await only();
    await answer(house.deps, id, { words: 'Get well.', seen: posts.at(-1)!.id, isDone: true }, 'Tora Aske');
    const text = (await writeConversation(house.db, await getHouse(house.db), await only())).toString('latin1');
    const mails = text.split(/^(?=From )/m);
    expect(mails).toHaveLength(3);
    const [first, second] = await Promise.all(
      mails.map((mail) => simpleParser(mail.slice(mail.indexOf('\n') + 1).replace(/^>From /gm, 'From '))),
    );
    expect(first).toMatchObject({
      from: { text: '"Runa Aske" <runa@orlasund.example>' },
      text: expect.stringContaining('From here on I am ill.\nFrom Monday on.') as unknown,
    });
    expect(second!.inReplyTo).toBe(first!.messageId);
  });

  it('of a person that writes without end passes on ten an hour', async () => {
    for (let i = 0; i < 14; i++) await comes({ text: `${i}` });
    expect((await only()).posts).toHaveLength(14);
    expect(await send()).toHaveLength(10);
  });
});

describe('what machines and strangers send', () => {
  it('that somebody is away stands with the notice, and nobody is written to', async () => {
    const { envelopeFrom } = invitation;
    await comes({
      envelope: '',
      to: envelopeFrom!,
      subject: 'Automatic reply: at sea',
      text: 'Back on 12 March.',
      head: { 'Auto-Submitted': 'auto-replied' },
    });
    expect((await conversationList(house.deps, { show: 'all' })).rows).toEqual([]);
    expect(await send()).toEqual([]);
    expect(await rows(house.db, 'select kind, body, notice_id is not null as is_known, waits from arrivals')).toEqual([
      { kind: 'auto-reply', body: 'Back on 12 March.', is_known: true, waits: false },
    ]);
  });

  it('two machines do not talk to each other', async () => {
    await comes();
    const [told] = await send();
    await comes({
      from: 'tora@orlasund.example',
      envelope: '',
      to: told!.replyTo,
      subject: 'Out of office',
      text: 'I am away',
      head: { 'Auto-Submitted': 'auto-replied' },
    });
    expect(await send()).toEqual([]);
    const { id, posts } = await only();
    await answer(house.deps, id, { words: 'Friday.', seen: posts.at(-1)!.id, isDone: false }, 'Tora Aske');
    const [letter] = await send();
    await comes({ envelope: '', to: letter!.replyTo, subject: 'Fravær', text: 'Ute til mandag' });
    expect(await send()).toEqual([]);
    expect((await sides()).at(-1)).toBe('record: An automatic answer came: “Fravær: Ute til mandag”');
    // what is ours, come around in a circle
    const before = await sides();
    await comes({ from: 'training@orlasund.example', to: letter!.replyTo, text: 'Round and round', messageId: letter!.headerId });
    expect(await sides()).toEqual(before);
  });

  it('the house may answer from the address that it writes from', async () => {
    await house.db.query('update settings set reply_to = sender_address, replies_to_trainer = false');
    await comes();
    const [told] = await send();
    expect(told!.toAddress).toBe('training@orlasund.example');
    await comes({ from: 'training@orlasund.example', to: told!.replyTo, text: 'Friday it is.' });
    expect((await send()).map(({ toAddress }) => toAddress)).toEqual(['runa@orlasund.example']);
  });

  it('a complaint is looked at by somebody, once it names what we signed', async () => {
    const complaint = (replyTo: string): Buffer =>
      Buffer.from(`From: feedback@provider.example\r\nTo: training@orlasund.example\r\nSubject: complaint\r\nContent-Type: multipart/report; report-type=feedback-report; boundary=b\r\n\r\n--b\r\nContent-Type: text/plain\r\n\r\nAbuse\r\n--b\r\nContent-Type: message/feedback-report\r\n\r\nFeedback-Type: abuse\r\nUser-Agent: p/1\r\nVersion: 1\r\n\r\n--b\r\nContent-Type: message/rfc822\r\n\r\nFrom: training@orlasund.example\r\nReply-To: ${replyTo}\r\nSubject: x\r\n\r\nx\r\n--b--\r\n`); // prettier-ignore
    await takeMail(house.deps, {
      raw: complaint('replies+n1-aaaaaaaaaaaaaaaa@orlasund.example'),
      from: 'feedback@provider.example',
      to: [],
    });
    expect((await arrivalList(house.deps, 'waiting', null)).rows).toEqual([]);
    await takeMail(house.deps, { raw: complaint(invitation.replyTo), from: 'feedback@provider.example', to: [] });
    const [row] = (await arrivalList(house.deps, 'waiting', null)).rows;
    expect(row).toMatchObject({ kind: 'complaint', person: { name: 'Runa Aske' } });
    await setAside(house.deps, row!.id, 'Sigrid Aune');
    await expect(setAside(house.deps, row!.id, 'Sigrid Aune')).rejects.toThrow('Sigrid Aune has looked at it already');
  });

  it('a mail that answers nothing waits for somebody, who may begin a conversation with it', async () => {
    await comes({ to: 'replies@orlasund.example', subject: 'My boots', text: 'Where do I get boots?' });
    const [row] = (await arrivalList(house.deps, 'waiting', null)).rows;
    expect(row).toMatchObject({ from: 'Runa Aske <runa@orlasund.example>', person: { name: 'Runa Aske' }, words: 'Where do I get boots?' });
    const view = await takeArrival(house.deps, row!.id, crew['runa']!, 'Sigrid Aune');
    expect(view).toMatchObject({ subject: 'My boots', person: { name: 'Runa Aske' }, reader: null });
    expect((await arrivalList(house.deps, 'waiting', null)).rows).toEqual([]);
  });

  it('of strangers there is an end within the hour: their servers are to try later', async () => {
    await house.db.query(
      "insert into arrivals (at, digest, kind, from_name, subject, body, waits) select $1::timestamptz, decode(md5(i::text), 'hex'), 'reply', '', '', '', true from generate_series(1, 200) i",
      [new Date(house.clock.at)],
    );
    await expect(comes({ to: 'replies@orlasund.example', from: 'x@elsewhere.example' })).rejects.toMatchObject({ code: 'too-many-tries' });
    await comes();
    expect(await sides()).toHaveLength(1);
  });

  it('a bounce of a server that speaks no report marks the address, where it comes to the address of the attempt', async () => {
    const bounce = (to: string) =>
      comes({
        from: 'MAILER-DAEMON@elsewhere.example',
        envelope: '',
        to,
        subject: 'failure notice',
        text: 'Sorry, no mailbox here by that name.',
      });
    await bounce('training@orlasund.example');
    expect(await rows(house.db, "select from people where address_state <> 'ok'")).toEqual([]);
    await bounce(invitation.envelopeFrom!);
    expect(await rows(house.db, "select name from people where address_state = 'bounced'")).toEqual([{ name: 'Runa Aske' }]);
    expect(await rows(house.db, 'select state from notices where message_id is not null')).toEqual([{ state: 'bounced' }]);
  });
});
