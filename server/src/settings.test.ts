import { describe, expect, it, test } from 'vitest';
import { readSettings } from './settings.ts';
import { Live } from './live/live.ts';
import type { Response } from 'express';

const good = { DATABASE_URL: 'postgres://nudrik@127.0.0.1:5432/nudrik' };

describe('settings', () => {
  it('have a default for everything but the database', () => {
    expect(readSettings(good)).toMatchObject({
      port: 4300,
      baseUrl: 'http://127.0.0.1:4300',
      smtpUrl: 'smtp://127.0.0.1:4325',
      inboundPort: 0,
      mailbox: null,
      postRoomUrl: null,
      sessionHours: 12,
    });
  });
  it('drop the slash at the end of an address', () =>
    expect(readSettings({ ...good, BASE_URL: 'https://training.example/' }).baseUrl).toBe('https://training.example'));
  test.each<[string, NodeJS.ProcessEnv, string]>([
    ['a missing database', {}, 'The setting DATABASE_URL is missing'],
    [
      'a database of another kind',
      { DATABASE_URL: 'mysql://x' },
      'The setting DATABASE_URL is "mysql://x": expected an address like postgres://',
    ],
    ['a port that is no number', { ...good, PORT: 'http' }, 'The setting PORT is "http"'],
    ['a port out of range', { ...good, PORT: '70000' }, 'The setting PORT is "70000"'],
    ['an address without a scheme', { ...good, BASE_URL: 'training.example' }, 'expected an address like https://training.example'],
    ['a mail server of another kind', { ...good, SMTP_URL: 'http://mail' }, 'expected an address like smtp://host:25'],
    [
      'a key that is short, which is not printed',
      { ...good, NUDRIK_KEY: 'hunter2' },
      'The setting NUDRIK_KEY is not as it should be: expected at least 32',
    ],
    [
      'half a sign-in service',
      { ...good, OIDC_ISSUER: 'https://sign-in.example', OIDC_CLIENT_ID: 'x' },
      'The setting OIDC_CLIENT_SECRET is missing',
    ],
    ['half of what signs letters', { ...good, DKIM_SELECTOR: 's2027' }, 'The setting DKIM_KEY_FILE is missing'],
    ['a domain to sign for that is none', { ...good, DKIM_DOMAIN: 'a b' }, 'expected a domain such as orlasund.example'],
    ['a word for the log that it does not know', { ...good, NUDRIK_LOG: 'loud' }, 'The setting NUDRIK_LOG is "loud"'],
  ])('%s stops the start with a sentence', (_, environment, words) => expect(() => readSettings(environment)).toThrow(words));
});

describe('live events', () => {
  const browser = () => {
    const written: string[] = [];
    let onClose: () => void = () => undefined;
    const res = {
      writeHead: () => res,
      write: (text: string) => written.push(text),
      on: (_event: string, act: () => void) => (onClose = act),
      end: () => undefined,
    };
    return { res: res as unknown as Response, written, leave: () => onClose() };
  };
  const data = (written: string[]): unknown[] =>
    written.filter((text) => text.startsWith('data:')).map((text) => JSON.parse(text.slice(5)) as unknown);

  it('gather many announcements of a moment into one, for everyone who listens', async () => {
    const live = new Live();
    const [one, two] = [browser(), browser()];
    live.add(one.res);
    live.add(two.res);
    live.announce(['notices']);
    live.announce(['notices', 'clock']);
    await expect.poll(() => data(one.written)).toEqual([{ topics: ['notices', 'clock'] }]);
    expect(data(two.written)).toHaveLength(1);
    two.leave();
    live.announce(['people']);
    await expect.poll(() => data(one.written)).toHaveLength(2);
    expect(data(two.written)).toHaveLength(1);
    live.close();
  });
});
