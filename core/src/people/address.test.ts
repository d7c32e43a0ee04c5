import { expect, test } from 'vitest';
import { isMailAddress } from './address.ts';

test.each([
  'runa.aske@orlasund.example',
  "o'neil+fire@a-b.example",
  'runa@ørlasund.example',
  'rúna@orlasund.example',
  'ルナ@例え.jp',
  'runa@xn--rlasund-p1a.example',
  `${'x'.repeat(64)}@a.example`,
])('%s is an address', (address) => expect(isMailAddress(address)).toBe(true));

test.each([
  ['nothing', ''],
  ['no domain', 'runa'],
  ['a domain of one part', 'runa@orlasund'],
  ['two at signs', 'runa@a@b.example'],
  ['a space', 'runa aske@orlasund.example'],
  ['a line end', 'runa@orlasund.example\r\nBcc: x@y.example'],
  ['markup', '<runa@orlasund.example>'],
  ['a list', 'a@b.example,c@d.example'],
  ['what turns text around', 'runa\u202e@orlasund.example'],
  ['what nobody sees', 'runa\u200b@orlasund.example'],
  ['dots in a row', 'runa..aske@orlasund.example'],
  ['a dot before the at sign', 'runa.@orlasund.example'],
  ['an empty part of the domain', 'runa@orlasund..example'],
  ['a part that ends with a hyphen', 'runa@orlasund-.example'],
  ['an address of a machine', 'runa@192.0.2.1'],
  ['a path', 'runa@orlasund.example/x'],
  ['a name of 65 octets', `${'x'.repeat(65)}@a.example`],
  ['a name of 66 octets in 33 letters', `${'ø'.repeat(33)}@a.example`],
])('%s is none', (_, address) => expect(isMailAddress(address)).toBe(false));
