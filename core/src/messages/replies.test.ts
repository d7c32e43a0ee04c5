import { expect, test } from 'vitest';
import { aPerson, aRoster, utc } from '../testing.ts';
import { mailsOfCopies, tellCopies } from './copies.ts';
import { repliesOf } from './replies.ts';
import { speechOf } from './speech.ts';
import { senderOf, sharedRule, tellSender, type SenderRule } from './sender.ts';

const NOW = utc('2027-03-17T16:00');
const roster = aRoster([
  aPerson('tora', { name: 'Tora Hauge', email: 'tora@orlasund.example' }),
  aPerson('lorna', { name: 'Lorna Mackay', email: 'lorna@orlasund.example' }),
  aPerson('gone', { name: 'Gone Long', email: 'gone@orlasund.example', leftOn: '2027-03-01' }),
  aPerson('dead', { name: 'Mail Dead', email: 'dead@orlasund.example', isReachable: false }),
]);
const house = { replyTo: 'Tora@orlasund.example', repliesToTrainer: false };
const trainers = { ...house, repliesToTrainer: true };

test.each([
  ['to the house', house, ['lorna'], house.replyTo, null],
  ['to the house, whose address is the trainer’s', house, ['tora'], house.replyTo, 'Tora Hauge'],
  ['to the trainer', trainers, ['lorna'], 'lorna@orlasund.example', 'Lorna Mackay'],
  ['to the one trainer of several courses', trainers, ['lorna', 'lorna'], 'lorna@orlasund.example', 'Lorna Mackay'],
  ['to the house where trainers are several', trainers, ['lorna', 'tora'], house.replyTo, null],
  ['to the house where there is none', trainers, [null], house.replyTo, null],
  ['to the house where the trainer has left', trainers, ['gone'], house.replyTo, null],
  ['to the house where the trainer’s mail comes back', trainers, ['dead'], house.replyTo, null],
  ['to the house where nobody knows the trainer', trainers, ['nobody'], house.replyTo, null],
])('replies go %s', (_, rule, owners, address, reader) => {
  expect(repliesOf(rule, owners, roster, NOW)).toEqual({ address, reader });
});

test('nobody is promised by name who does not get the reply', () => {
  expect(speechOf('en').footer('Safety training', 'Orlasund Ferries', null)).toBe('Safety training, Orlasund Ferries. Stuck? Just reply.');
  expect(speechOf('en').footer('Safety training', 'Orlasund Ferries', 'Tora Hauge')).toContain('Just reply, Tora Hauge reads it.');
});

const whole = { ...house, senderName: 'Safety training' };
const rule = (rest: Partial<SenderRule>): SenderRule => ({ isTrainer: false, name: null, replyTo: null, ...rest });

test.each<[string, (SenderRule | null)[], string, string, string, string | null]>([
  ['the house, where nobody says otherwise', [null, null], 'lorna', 'Safety training', house.replyTo, null],
  ['the course, by another name; replies as the house says', [null, rule({ name: 'Fire drill' })], 'lorna', 'Fire drill', house.replyTo, null],
  ['the step before the course', [rule({ name: 'Bridge' }), rule({ name: 'Fire drill', replyTo: 'fire@x.example' })], 'lorna', 'Bridge', 'fire@x.example', 'fire@x.example'],
  ['the trainer, who gets the replies', [null, rule({ isTrainer: true })], 'lorna', 'Lorna Mackay', 'lorna@orlasund.example', 'trainer'],
  ['the trainer by name, with an address for replies', [null, rule({ isTrainer: true, replyTo: 'fire@x.example' })], 'lorna', 'Lorna Mackay', 'fire@x.example', 'fire@x.example'],
  ['the step’s address before the course’s trainer', [rule({ replyTo: 'fire@x.example' }), rule({ isTrainer: true })], 'lorna', 'Lorna Mackay', 'fire@x.example', 'fire@x.example'],
  ['the house, where the trainer has left', [null, rule({ isTrainer: true })], 'gone', 'Safety training', house.replyTo, 'trainer'],
  ['the trainer whose mail comes back, and replies to the house', [null, rule({ isTrainer: true })], 'dead', 'Mail Dead', house.replyTo, 'trainer'],
])('comes from %s', (_, rules, owner, name, address, repliesTo) => {
  const sender = senderOf(whole, rules, roster.person(owner), roster, NOW);
  expect([sender.name, sender.repliesTo]).toEqual([name, repliesTo]);
  expect(repliesOf(sender.replies, [owner], roster, NOW).address).toBe(address);
}); // prettier-ignore

test.each([
  [false, 64, 28],
  [true, 64, 64],
  [false, 3, 3],
  [false, 0, 0],
])('copies (of each: %s) of %i notices are %i mails at the most', (isEach, notices, mails) => {
  expect(mailsOfCopies({ to: ['trainer'], isEach }, notices, 28)).toBe(mails);
  expect(mailsOfCopies({ to: ['trainer', 'manager'], isEach }, notices, 28)).toBe(2 * mails);
  expect(tellCopies({ to: ['trainer', 'person 5'], isEach }, (role) => (role === 'person 5' ? 'Odd' : role))).toBe(`copies to trainer and Odd, ${isEach ? 'of each message' : 'as one summary a day'}`);
}); // prettier-ignore

test('several courses in one message come from the house unless they say the same', () => {
  const fire = rule({ name: 'Fire drill' });
  expect([sharedRule([fire, { ...fire }]), sharedRule([fire, rule({ name: 'Ropes' })]), sharedRule([fire, null]), sharedRule([])]).toEqual([fire, null, null, null]);
  expect([tellSender(null), tellSender(rule({ isTrainer: true, replyTo: 'a@x.example' })), tellSender(rule({ replyTo: 'a@x.example' }))]).toEqual(['as above', 'the trainer, replies to a@x.example', 'the name above, replies to a@x.example']);
}); // prettier-ignore
