import { createHash, randomInt } from 'node:crypto';
import type { Account, FactorSetup, FactorState } from '@nudrik/contract';
import { Secret, TOTP } from 'otpauth';
import QRCode from 'qrcode';
import { announce, transaction, type Queryable } from '../db/db.ts';
import type { Deps } from '../deps.ts';
import { getHouse } from '../house/house.ts';
import { Refused } from '../refusal.ts';
import { addAccountEvent } from './accounts.repo.ts';
import { hide, reveal } from './hidden.ts';
import {
  beginFactor,
  countSpare,
  forgetFactor,
  getFactor,
  putSpareCodes,
  takeSpare,
  takeStep,
  type KeptFactor,
} from './second-factor.repo.ts';

// A code beside the password: time-based one-time passwords (RFC 6238), six digits, half a minute each, one before and after.

const PURPOSE = 'second factor';
const STEP_MS = 30_000;
const SPARE_CODES = 8;
/** letters that are not taken for one another */
const LETTERS = 'abcdefghjkmnpqrstuvwxyz23456789';

const totpOf = (secret: Secret, label: string, issuer: string): TOTP =>
  new TOTP({ issuer, label, secret, digits: 6, period: STEP_MS / 1000 });

const digest = (code: string): Buffer => createHash('sha256').update(code).digest();

/** As somebody types it: spaces, hyphens and capitals do not matter. */
const plain = (code: string): string => code.toLowerCase().replace(/[\s-]/g, '');

function stepOf(factor: KeptFactor, key: string, code: string): number | null {
  const secret = reveal(key, PURPOSE, factor.secret);
  if (!secret) return null;
  const totp = totpOf(new Secret({ buffer: new Uint8Array(secret).buffer }), '', '');
  const delta = totp.validate({ token: code, timestamp: factor.now, window: 1 });
  return delta === null ? null : Math.floor(factor.now / STEP_MS) + delta;
}

/** Whether an account is asked for a code. */
export const hasFactor = async (db: Queryable, account: string): Promise<boolean> => (await getFactor(db, account))?.confirmed_at != null;

/**
 * Asks for the code of whoever has set one up, and uses it up.
 * @throws Refused `second-factor` where none was given, or it is not right, or was used
 */
export async function checkFactor(deps: Deps, account: string, code: string | null): Promise<void> {
  const factor = await getFactor(deps.db, account);
  if (!factor?.confirmed_at) return;
  if (code === null) throw new Refused('second-factor');
  const typed = plain(code);
  const step = stepOf(factor, deps.settings.key, typed);
  if (step !== null ? await takeStep(deps.db, account, step) : await takeSpare(deps.db, account, digest(typed))) return;
  throw new Refused(
    'second-factor',
    'This code is not right, or was used already. Expected the one that your app shows now, or a spare one.',
  );
}

/** What an account has: whether a code is asked for, and how many spare ones are left. */
export async function factorState(db: Queryable, account: string): Promise<FactorState> {
  const isOn = await hasFactor(db, account);
  return { isOn, spareCodes: isOn ? await countSpare(db, account) : 0 };
}

/** Begins setting one up: what an app reads. Nothing is asked for before a first code came back. */
export async function beginSecondFactor(deps: Deps, account: Account): Promise<FactorSetup> {
  const secret = new Secret({ size: 20 });
  if (!(await beginFactor(deps.db, account.id, hide(deps.settings.key, PURPOSE, Buffer.from(secret.bytes)))))
    throw new Refused('conflict', 'There is a second factor already. Switch it off first; nothing was changed.');
  const { organisation } = await getHouse(deps.db);
  const address = totpOf(secret, account.email, `Nudrik, ${organisation}`.replaceAll(':', ' ')).toString();
  return { secret: secret.base32.replace(/(.{4})(?=.)/g, '$1 '), picture: await QRCode.toDataURL(address, { margin: 1, width: 220 }) };
}

const spareCode = (): string => Array.from({ length: 10 }, () => LETTERS[randomInt(LETTERS.length)]).join('');

/** Switches it on by a first code. @returns the spare codes, shown this once */
export async function confirmSecondFactor(deps: Deps, account: Account, code: string): Promise<{ spareCodes: string[] }> {
  return transaction(deps.db, async (client) => {
    const factor = await getFactor(client, account.id);
    if (!factor) throw new Refused('conflict', 'Begin anew: there is nothing to confirm. Nothing was changed.');
    if (factor.confirmed_at) throw new Refused('conflict', 'It is switched on already.');
    const step = stepOf(factor, deps.settings.key, plain(code));
    if (step === null || !(await takeStep(client, account.id, step)))
      throw new Refused('wrong-input', 'This code is not right. Expected the six digits that your app shows now; does its clock go right?');
    const spareCodes = Array.from({ length: SPARE_CODES }, spareCode);
    await putSpareCodes(client, account.id, spareCodes.map(digest));
    await addAccountEvent(client, account.id, deps.clock.now(), account.name, 'Second factor switched on.');
    await announce(client, 'accounts');
    return { spareCodes: spareCodes.map((text) => `${text.slice(0, 5)}-${text.slice(5)}`) };
  });
}

/** Switches it off: by its owner, or for somebody whose phone is lost. */
export async function endSecondFactor(deps: Deps, accountId: string, byWhom: string): Promise<void> {
  await transaction(deps.db, async (client) => {
    if (!(await forgetFactor(client, accountId))) throw new Refused('conflict', 'There is no second factor; nothing was changed.');
    await addAccountEvent(client, accountId, deps.clock.now(), byWhom, 'Second factor switched off.');
    await announce(client, 'accounts');
  });
}
