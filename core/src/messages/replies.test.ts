import { expect, test } from 'vitest';
import { aPerson, aRoster, utc } from '../testing.ts';
import { footerOf, repliesOf } from './replies.ts';

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
  expect(footerOf('Safety training', 'Orlasund Ferries', null)).toBe('Safety training, Orlasund Ferries. Stuck? Just reply.');
  expect(footerOf('Safety training', 'Orlasund Ferries', 'Tora Hauge')).toContain('Just reply, Tora Hauge reads it.');
});
