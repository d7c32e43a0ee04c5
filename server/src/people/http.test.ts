import { afterAll, beforeAll, describe, expect, it, test } from 'vitest';
import request from 'supertest';
import { createApp } from '../app.ts';
import { hashPassword } from '../access/sessions.ts';
import { rows } from '../db/db.ts';
import { makeCourse, makeCrew, openTestHouse, type TestHouse } from '../testing.ts';
import { drain } from '../worker.ts';

/** The API of people and requirements as the pages use it: what it answers, and how it refuses what is wrong. */
let house: TestHouse;
let crew: Record<string, string>;
let course: string;
let agent: ReturnType<typeof request.agent>;
let csrf = '';

type Method = 'get' | 'post' | 'put' | 'patch' | 'delete';
const ask = (method: Method, path: string, body?: object | Buffer) => {
  const call = agent[method](path).set('x-csrf-token', csrf);
  return Buffer.isBuffer(body) ? call.set('content-type', 'application/octet-stream').send(body) : call.send(body);
};
const draft = (rest: object = {}): object => ({
  name: 'Fire teams', courseId: course, audience: { all: [] }, due: { kind: 'after', amount: 14, unit: 'days', event: 'assigned' }, dueTime: '17:00', graceDays: 7, creditMonths: null,
  renewal: null, from: null, until: null, takesJoiners: true, whenOut: 'ask', ...rest,
}); // prettier-ignore

beforeAll(async () => {
  house = await openTestHouse();
  crew = await makeCrew(house);
  course = await makeCourse(house, crew['tora']!);
  await house.db.query("insert into accounts (email, name, role, password_hash) values ('sigrid@orlasund.example', 'Sigrid Aune', 'administrator', $1::text)", [await hashPassword('orlasund')]); // prettier-ignore
  agent = request.agent(createApp(house.deps, null));
  const { body } = await agent
    .post('/api/session')
    .set('x-csrf-token', 'none')
    .send({ email: 'sigrid@orlasund.example', password: 'orlasund' });
  csrf = body.csrf;
});
afterAll(() => house.close());

describe('what is wrong is refused with where, expected and got', () => {
  test.each<[string, Method, () => [string, object?], number, RegExp]>([
    ['an empty change', 'patch', () => [`/api/people/${crew['runa']}`, {}], 400, /Expected something to change/],
    ['a field that there is not', 'patch', () => [`/api/people/${crew['runa']}`, { shoe: 44 }], 400, /Unrecognized key: "shoe"/],
    ['a mail address without an @', 'patch', () => [`/api/people/${crew['runa']}`, { email: 'runa' }], 400, /E-mail: expected a mail address; got "runa"/],
    ['a date that there is not', 'patch', () => [`/api/people/${crew['runa']}`, { joinedOn: '2027-02-30' }], 400, /Date of joining: .*got "2027-02-30"/],
    ['somebody new without a site', 'post', () => ['/api/people', { name: 'Bo', email: 'bo@orlasund.example', department: 'Deck' }], 400, /siteId: expected a value/],
    ['leave that ends before it begins', 'post', () => [`/api/people/${crew['runa']}/leaves`, { from: '2027-03-09', to: '2027-03-08', coverId: null }], 400, /Last day: expected a last day that is not before the first/],
    ['a leave that is gone', 'delete', () => [`/api/people/${crew['runa']}/leaves/99`], 404, /not there any more/],
    ['a person who is not there', 'get', () => ['/api/people/999/why/1'], 404, /does not have this course/],
    ['an id that is no number', 'get', () => ['/api/people/runa'], 400, /Expected a whole number; got "runa"/],
    ['a site without working days', 'post', () => ['/api/people/sites', { name: 'Dock', zone: 'Europe/Oslo', workingDays: [] }], 400, /Working days: expected at least one working day/],
    ['a group without a name', 'post', () => ['/api/people/groups', { name: ' ', about: null }], 400, /Name: expected a name/],
    ['a feed address that is none', 'put', () => ['/api/people/feed', { url: 'ftp://x', isOn: true, times: ['06:00'], changeShare: 5 }], 400, /Web address: expected an address like https/],
    ['a feed time that is none', 'put', () => ['/api/people/feed', { url: 'https://x.example', isOn: true, times: ['6 am'], changeShare: 5 }], 400, /Time 1: expected a time of day like 06:00; got "6 am"/],
    ['a share above all', 'put', () => ['/api/people/feed', { url: 'https://x.example', isOn: true, times: ['06:00'], changeShare: 101 }], 400, /Change share/],
    ['pulling without a feed', 'post', () => ['/api/people/feed/pull', {}], 409, /No personnel feed is set up/],
    ['a pull that is not there', 'get', () => ['/api/people/feed/pulls/9'], 404, /no such pull/],
    ['misbehaviour outside the demo', 'put', () => ['/api/people/feed/mode', { mode: 'down' }], 409, /Only the demo’s feed/],
    ['undoing what is not there', 'post', () => ['/api/people/imports/9/undo', {}], 404, /no such import/],
    ['a file that was not kept', 'get', () => ['/api/people/imports/9/file'], 404, /no file/],
    ['a requirement without a name', 'post', () => ['/api/requirements', draft({ name: '' })], 400, /Name: a requirement needs a name/],
    ['a requirement for a course that is not there', 'post', () => ['/api/requirements', draft({ courseId: '999' })], 400, /There is no course 999/],
    ['an audience that is not understood', 'post', () => ['/api/requirements', draft({ audience: { all: [{ shoe: 44 }] } })], 400, /Audience, all 1: expected a condition with one of all, any, not, department.*got shoe/],
    ['a condition on nobody', 'post', () => ['/api/requirements', draft({ audience: { site: [] } })], 400, /Audience, site: expected at least one/],
    ['a last day before the first', 'post', () => ['/api/requirements', draft({ from: '2027-05-01', until: '2027-04-01' })], 400, /Last day: expected a last day that is not before the first/],
    ['a renewal that begins before the last ended', 'post', () => ['/api/requirements', draft({ renewal: { months: 1, leadDays: 40 } })], 400, /Renewal, days before: expected fewer days/],
    ['days of grace below one', 'post', () => ['/api/requirements', draft({ graceDays: 0 })], 400, /Days of grace: expected 1 day or more; got 0/],
    ['a requirement that is not there', 'get', () => ['/api/requirements/999'], 404, /no such requirement/],
    ['a decision about nobody', 'post', () => ['/api/requirements/1/outside', { assignmentIds: [], outside: 'keep' }], 400, /Assignments/],
    ['extending nothing', 'post', () => ['/api/assignments/extend', { assignmentIds: [], dueOn: '2027-05-01', reason: 'x' }], 400, /Assignments: expected at least one assignment/],
    ['waiving without a reason', 'post', () => ['/api/assignments/waive', { assignmentIds: ['1'], reason: ' ' }], 400, /Reason: expected a reason/],
    ['taking back what was not done', 'post', () => ['/api/assignments/acts/9/undo', {}], 404, /not on the record/],
    ['a proof that is not there', 'get', () => ['/api/assignments/1/proof'], 404, /No proof/],
    ['completions of nobody', 'post', () => ['/api/assignments/completions', { text: '', reason: 'x' }], 400, /Text: expected a header line/],
  ])('%s', async (_, method, call, status, words) => {
    const [path, body] = call();
    const answer = await ask(method, path, body);
    expect([answer.status, answer.body.message]).toEqual([status, expect.stringMatching(words)]);
  }); // prettier-ignore
  it('an iCalendar file that is none', async () => {
    const answer = await ask('post', '/api/people/holidays/read?fileName=x.ics&from=2027&to=2027', Buffer.from('hello'));
    expect([answer.status, answer.body.message]).toEqual([422, expect.stringContaining('BEGIN:VCALENDAR')]);
  });
});

describe('a requirement through the API', () => {
  it('is written, looked at, switched on, decided about and switched off', async () => {
    const { body: facts } = await ask('get', '/api/requirements/audience').expect(200);
    expect([facts.people.length, facts.sites.length, facts.today]).toEqual([5, 2, '2027-03-01']);
    const deck = facts.departments.find(({ name }: { name: string }) => name === 'Deck').id;
    const audience = { department: [deck], below: true };
    const { body: made } = await ask('post', '/api/requirements', draft({ audience })).expect(200);
    const { body: preview } = await ask('post', '/api/requirements/preview', { id: made.id, draft: draft({ audience }) }).expect(200);
    expect([preview.in, preview.assigned.count, preview.words[0]]).toEqual([4, 4, 'Deck must hold Fire Teams Aboard.']);
    expect((await ask('post', `/api/requirements/${made.id}/on`, { version: 1 }).expect(200)).body).toMatchObject({ assigned: 4 });
    await ask('patch', `/api/people/${crew['per']}`, { department: 'Office' }).expect(200);
    await drain(house.deps, house.mailer);
    const { body: people } = await ask('get', `/api/requirements/${made.id}/people`).expect(200);
    expect(people.counts).toEqual({ open: 3, asks: 1 });
    expect((await ask('get', '/api/today/needs').expect(200)).body).toContainEqual(
      expect.objectContaining({ kind: 'outside', words: 'Per Aske is no longer in the audience of “Fire teams” and has Fire Teams Aboard open: withdraw or keep?' }),
    ); // prettier-ignore
    const { assignmentId } = people.people.find(({ standing }: { standing: string }) => standing === 'asks');
    await ask('post', `/api/requirements/${made.id}/outside`, { assignmentIds: [assignmentId], outside: 'withdraw' }).expect(200);
    const { body: view } = await ask('get', `/api/requirements/${made.id}`).expect(200);
    const { body: changed } = await ask('put', `/api/requirements/${made.id}`, { version: view.version, draft: draft({ audience, name: 'Fire teams on deck' }), outside: 'ask' }).expect(200); // prettier-ignore
    expect(changed).toMatchObject({ assigned: 0, withdrawn: 0 });
    await ask('post', `/api/requirements/${made.id}/off`, { version: view.version + 1, outside: 'withdraw' }).expect(200);
    const { body: after } = await ask('get', `/api/requirements/${made.id}`).expect(200);
    expect(after.record.map(({ what }: { what: string }) => what)).toEqual([
      'switched off',
      'changed',
      'decided',
      'switched on',
      'written',
    ]);
    expect((await ask('delete', `/api/requirements/${made.id}`)).status).toBe(409);
    expect((await ask('get', '/api/requirements').expect(200)).body[0]).toMatchObject({ name: 'Fire teams on deck', isOn: false, open: 0 });
  });
  it('one that was never on is removed', async () => {
    const { body } = await ask('post', '/api/requirements', draft({ name: 'Never' })).expect(200);
    await ask('delete', `/api/requirements/${body.id}`).expect(200);
    await ask('get', `/api/requirements/${body.id}`).expect(404);
  });
});

describe('a person’s time line', () => {
  it('tells everything in the order in which it happened, and what is still to come last', async () => {
    const group = (await ask('post', '/api/people/groups', { name: 'Night boat', about: null }).expect(200)).body.id;
    await ask('post', `/api/people/groups/${group}/members`, { add: [crew['odd']] }).expect(200);
    house.clock.at += 3_600_000;
    await ask('post', `/api/people/${crew['odd']}/leaves`, { from: '2027-04-01', to: '2027-04-09', coverId: crew['tora'] }).expect(200);
    const { body: done } = await ask('post', '/api/assignments', {
      courseId: course,
      personIds: [crew['odd']],
      dueOn: '2027-03-19',
    }).expect(200);
    expect(done.words).toBe('Assigned Fire Teams Aboard to Odd Aske.');
    await drain(house.deps, house.mailer);
    house.clock.at += 3_600_000;
    const [{ id }] = (await rows(house.db, 'select max(id) as id from assignments where person_id = $1::bigint', [crew['odd']])) as [{ id: string }]; // prettier-ignore
    await ask('post', `/api/assignments/${id}/extend`, { dueOn: '2027-04-23', reason: 'on leave' }).expect(200);
    await drain(house.deps, house.mailer);
    const { body: line } = await ask('get', `/api/people/${crew['odd']}/timeline`).expect(200);
    const at = line.map((entry: { at: string }) => entry.at);
    expect([...at].sort()).toEqual(at);
    const ahead = line.map(({ isAhead }: { isAhead: boolean }) => isAhead);
    expect(ahead.lastIndexOf(false)).toBeLessThan(ahead.indexOf(true));
    const words = line.map((entry: { words: string }) => entry.words);
    expect(words).toEqual(
      expect.arrayContaining([
        'Put into the group Night boat',
        'Leave entered: 1 Apr 2027 to 9 Apr 2027, Tora Aske covers',
        expect.stringMatching(/^Fire Teams Aboard assigned, due Fri 19 Mar 17:00, round 2/),
        'Fire Teams Aboard is due Fri 23 Apr 17:00 now: on leave',
        'Invitation, Fire Teams Aboard',
        'To the manager, Fire Teams Aboard, to Kari Aske',
      ]),
    );
    const { body: why } = await ask('get', `/api/people/${crew['odd']}/why/${course}`).expect(200);
    expect(why.words).toBe('Odd Aske was assigned by hand by Sigrid Aune on 1 Mar 2027.');
  });
});
