import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import type { Channel, Handover, Letter } from './channel.ts';
import { Pace } from './pace.ts';
import { withSpare } from './spare.ts';

describe('the pace of mail', () => {
  it('lets a few go at once after a quiet time, and then one by one', () => {
    const pace = new Pace({ perMinute: 60, perDomain: null });
    const go = (now: number): number => {
      const wait = pace.wait('runa@orlasund.example', now);
      if (wait === 0) pace.take('runa@orlasund.example', now);
      return wait;
    };
    expect(Array.from({ length: 11 }, () => go(0))).toEqual([...Array<number>(10).fill(0), 1_000]);
    expect([go(999), go(1_000), go(1_001)]).toEqual([1, 0, 999]);
  });

  it('holds up a domain that has had its share, and no other', () => {
    const pace = new Pace({ perMinute: null, perDomain: 6 });
    pace.take('a@slow.example', 0);
    expect([pace.wait('b@SLOW.example', 0), pace.wait('b@other.example', 0)]).toEqual([10_000, 0]);
  });

  it('never lets more go in any minute than it may, beside what may go at once', () => {
    const asked = fc.array(fc.record({ after: fc.integer({ min: 0, max: 5_000 }), domain: fc.constantFrom('a', 'b', 'c') }), {
      maxLength: 300,
    });
    fc.assert(
      fc.property(asked, fc.integer({ min: 1, max: 200 }), fc.integer({ min: 1, max: 60 }), (list, perMinute, perDomain) => {
        const pace = new Pace({ perMinute, perDomain });
        const went: { at: number; domain: string }[] = [];
        let now = 0;
        for (const { after, domain } of list) {
          now += after;
          const address = `x@${domain}.example`;
          const wait = pace.wait(address, now);
          // what it says is true: then it may go
          now += wait;
          expect(pace.wait(address, now)).toBe(0);
          pace.take(address, now);
          went.push({ at: now, domain });
        }
        const most = (of: typeof went): number =>
          Math.max(0, ...of.map(({ at }) => of.filter((one) => one.at >= at && one.at < at + 60_000).length));
        expect(most(went)).toBeLessThanOrEqual(perMinute + Math.max(1, Math.floor(perMinute / 6)));
        for (const name of ['a', 'b', 'c'])
          expect(most(went.filter(({ domain }) => domain === name))).toBeLessThanOrEqual(
            perDomain + Math.max(1, Math.floor(perDomain / 6)),
          );
      }),
    );
  });
});

describe('a spare mail server', () => {
  const letter = { toAddress: 'runa@orlasund.example' } as Letter;
  const CLOSED: Handover = { outcome: 'later', scope: 'channel', response: 'the mail server does not answer' };
  function servers(...answers: Handover[]): { asked: string[]; channel: Channel; at: { now: number }; answers: Handover[] } {
    const asked: string[] = [];
    const at = { now: 0 };
    const list = answers.map((_, i): Channel => ({
      name: 'mail',
      width: 5,
      send: () => (asked.push(`${i + 1}`), Promise.resolve(answers[i]!)),
      close: () => undefined,
    }));
    return { asked, channel: withSpare(list, () => at.now), at, answers };
  }
  it('takes what the first does not, which is asked again after a while', async () => {
    const house = servers(CLOSED, { outcome: 'accepted', response: '250 ok' });
    expect(await house.channel.send(letter)).toMatchObject({ outcome: 'accepted' });
    await house.channel.send(letter);
    expect(house.asked).toEqual(['1', '2', '2']);
    house.at.now = 121_000;
    house.answers[0] = { outcome: 'accepted', response: '250 ok' };
    await house.channel.send(letter);
    expect(house.asked).toEqual(['1', '2', '2', '1']);
  });
  it.each<Handover>([
    { outcome: 'unknown', response: 'the connection broke off' },
    { outcome: 'refused', response: '550 5.1.1 no such user' },
    { outcome: 'later', scope: 'address', response: '452 4.2.2 full' },
    { outcome: 'later', scope: 'letter', response: '554 spam' },
  ])('is not asked where it is not the server’s matter: $response', async (answer) => {
    const house = servers(answer, { outcome: 'accepted', response: '250 ok' });
    expect(await house.channel.send(letter)).toEqual(answer);
    expect(house.asked).toEqual(['1']);
  });
  it('that takes nothing either is the last word, and both are asked again', async () => {
    const house = servers(CLOSED, CLOSED);
    expect(await house.channel.send(letter)).toEqual(CLOSED);
    expect(await house.channel.send(letter)).toEqual(CLOSED);
    expect(house.asked).toEqual(['1', '2', '1', '2']);
  });
});
