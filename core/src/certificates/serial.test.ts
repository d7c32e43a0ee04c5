import { expect, it, test } from 'vitest';
import fc from 'fast-check';
import { certificateState, checkCharacter, parseSerial, serialFrom } from './serial.ts';

const fives = fc.array(fc.integer({ min: 0, max: 31 }), { minLength: 8, maxLength: 8 });

it('computes the check character of ISO/IEC 7064 MOD 37,36', () => expect(checkCharacter('A12425GABC1234002')).toBe('M'));

it('reads back what it made, however it is typed', () =>
  fc.assert(
    fc.property(fives, (bits) => {
      const serial = serialFrom(bits);
      expect(parseSerial(serial)).toBe(serial);
      expect(parseSerial(` ${serial.replace(/-/g, ' ').toLowerCase()} `)).toBe(serial);
    }),
  ));

it('finds every single wrong character', () =>
  fc.assert(
    fc.property(fives, fc.integer({ min: 0, max: 7 }), fc.constantFrom(...'0123456789ABCDEFGHJKMNPQRSTVWXYZ'), (bits, at, wrong) => {
      const plain = serialFrom(bits).replace(/-/g, '');
      if (plain[at] !== wrong) expect(parseSerial(plain.slice(0, at) + wrong + plain.slice(at + 1))).toBeNull();
    }),
  ));

test.each([
  ['current', 100, 200, false],
  ['expiring from sixty days before', 140, 200, false],
  ['expiring on its last day', 200, 200, false],
  ['expired the day after', 201, 200, false],
  ['current for ever', 9_999, null, false],
  ['revoked, whatever its date', 100, 200, true],
  ['replaced, whatever its date', 300, 200, false],
] as const)('%s', (words, today, expires, isRevoked) =>
  expect(certificateState(today, expires, { isRevoked, isReplaced: words.startsWith('replaced') })).toBe(
    words.split(' ')[0]!.replace(',', ''),
  ),
);
