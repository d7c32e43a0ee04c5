import { generateKeyPairSync } from 'node:crypto';
import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { dkimVerify } from 'mailauth/lib/dkim/verify.js';
import { SMTPServer } from 'smtp-server';
import { afterAll, beforeAll, describe, expect, it, test } from 'vitest';
import type { Letter } from './channel.ts';
import { readSigner, type SignerSettings } from './dkim.ts';
import { openMailChannel } from './mail-channel.ts';

const LETTER: Letter = {
  messageId: '1', deliveryId: '1', envelopeId: '1', headerId: '<n-1@orlasund.example>', fromName: 'Safety training', fromAddress: 'training@orlasund.example',
  replyTo: 'tora@orlasund.example', toName: 'Bjørn Åsen', toAddress: 'bjorn@orlasund.example', listId: 'training.orlasund.example', organisation: 'Orlasund Ferries',
  subject: 'Übung: “Fire Teams” 🚢', html: '<p>Hei på deg, og 日本</p>', text: 'Hei på deg, og 日本\n\n.\n..and dots\n', date: new Date('2027-03-17T16:00:00Z'),
}; // prettier-ignore

const folder = mkdtempSync(join(tmpdir(), 'nudrik-dkim-'));
const { privateKey, publicKey } = generateKeyPairSync('rsa', { modulusLength: 2048 });
const keyFile = join(folder, 'key.pem');
const file = (name: string, content: string): string => {
  writeFileSync(join(folder, name), content);
  return join(folder, name);
};
let server: SMTPServer;
const took: Buffer[] = [];
beforeAll(async () => {
  file('key.pem', privateKey.export({ type: 'pkcs8', format: 'pem' }) as string);
  server = new SMTPServer({
    authOptional: true,
    disabledCommands: ['STARTTLS'],
    onData(stream, _session, done) {
      const chunks: Buffer[] = [];
      stream.on('data', (chunk: Buffer) => chunks.push(chunk));
      stream.on('end', () => (took.push(Buffer.concat(chunks)), done()));
    },
  });
  await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve));
});
afterAll(async () => {
  await new Promise<void>((resolve) => server.close(() => resolve()));
  rmSync(folder, { recursive: true });
});

/** What an independent verifier finds of a mail, where DNS knows our public key under these names. */
async function verified(raw: Buffer): Promise<{ domain: string; result: string }[]> {
  const p = publicKey.export({ type: 'spki', format: 'der' }).toString('base64');
  const known = ['s2027._domainkey.orlasund.example', 's2027._domainkey.mail.orlasund.example'];
  const { results } = await dkimVerify(raw, {
    resolver: (name: string) =>
      known.includes(name)
        ? Promise.resolve([[`v=DKIM1; k=rsa; p=${p}`]])
        : Promise.reject(Object.assign(new Error('none'), { code: 'ENOTFOUND' })),
  });
  return results.map(({ signingDomain, status }) => ({ domain: signingDomain, result: status.result }));
}

async function send(signer: SignerSettings | null, letter = LETTER): Promise<Buffer> {
  took.length = 0;
  const url = `smtp://127.0.0.1:${(server.server.address() as { port: number }).port}`;
  const channel = openMailChannel(url, readSigner(signer));
  try {
    expect(await channel.send(letter)).toMatchObject({ outcome: 'accepted' });
  } finally {
    channel.close();
  }
  return took[0]!;
}

describe('a signed letter', () => {
  it('is found genuine by an independent verifier, and changed where a word of it or of its head was changed', async () => {
    const raw = await send({ keyFile, selector: 's2027', domain: null });
    expect(await verified(raw)).toEqual([{ domain: 'orlasund.example', result: 'pass' }]);
    const changed = (from: string, to: string): Promise<{ result: string }[]> =>
      verified(Buffer.from(raw.toString('latin1').replace(from, to), 'latin1'));
    expect((await changed('Hei', 'Nei'))[0]!.result).not.toBe('pass');
    expect((await changed('To: =?UTF-8?', 'To: =?UTF-9?'))[0]!.result).not.toBe('pass');
    expect((await changed('From: Safety', 'From: Unsafe'))[0]!.result).not.toBe('pass');
  });

  it('is signed for another domain where one is set; without a key it is not signed', async () => {
    expect(await verified(await send({ keyFile, selector: 's2027', domain: 'mail.orlasund.example' }))).toEqual([{ domain: 'mail.orlasund.example', result: 'pass' }]); // prettier-ignore
    expect((await send(null)).toString()).not.toContain('DKIM-Signature');
  });
});

it('covers what mail programs decline by (RFC 8058)', async () => {
  const raw = await send(
    { keyFile, selector: 's2027', domain: null },
    { ...LETTER, unsubscribe: 'https://nudrik.example/api/declines/abc' },
  );
  expect(await verified(raw)).toEqual([{ domain: 'orlasund.example', result: 'pass' }]);
  for (const field of ['List-Unsubscribe: <https', 'List-Unsubscribe-Post: List-Unsub']) {
    const text = raw.toString('latin1');
    expect(text).toContain(field);
    expect((await verified(Buffer.from(text.replace(field, `${field}x`), 'latin1')))[0]!.result).not.toBe('pass');
  }
});

describe('the key', () => {
  const ed = generateKeyPairSync('ed25519').privateKey.export({ type: 'pkcs8', format: 'pem' }) as string;
  const small = generateKeyPairSync('rsa', { modulusLength: 1024 }).privateKey.export({ type: 'pkcs8', format: 'pem' }) as string;
  test.each<[string, () => string, string]>([
    ['that is not there', () => join(folder, 'none'), 'expected a file that can be read'],
    ['that is none', () => file('text', 'hunter2'), 'expected a private key in PEM'],
    ['of another kind', () => file('ed', ed), 'expected an RSA key'],
    ['that is too small', () => file('small', small), 'at least 2048 bits, got 1024'],
  ])('%s stops the start with a sentence, and is not printed', (_, path, words) => {
    const read = () => readSigner({ keyFile: path(), selector: 's', domain: null });
    expect(read).toThrow(words);
    expect(read).not.toThrow('hunter2');
  });
});
