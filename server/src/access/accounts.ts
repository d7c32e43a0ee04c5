import type { AccountChange, AccountInvite, AccountsView, InviteResult, KeyView } from '@nudrik/contract';
import { announce, transaction, type Client } from '../db/db.ts';
import type { Deps } from '../deps.ts';
import { getHouse } from '../house/house.ts';
import type { Handover } from '../messages/channel.ts';
import { sendHouseMail } from '../messages/post.ts';
import { houseToday } from '../people/today.ts';
import { Refused } from '../refusal.ts';
import {
  addAccount,
  addAccountEvent,
  findByAddress,
  findKey,
  findManager,
  forgetKeys,
  listAccountEvents,
  listAccounts,
  lockAccount,
  lockAdministrators,
  makeKey,
  setEnded,
  setPassword,
  setRole,
  takeKey,
  type KeyPurpose,
  type LockedAccount,
} from './accounts.repo.ts';
import { endSessions, hashPassword } from './sessions.ts';

export async function accountsView(deps: Deps): Promise<AccountsView> {
  return { accounts: await listAccounts(deps.db, await houseToday(deps)), record: await listAccountEvents(deps.db) };
}

const SUBJECTS: Readonly<Record<KeyPurpose, (organisation: string) => string>> = {
  invitation: (organisation) => `Your account in Nudrik of ${organisation}`,
  password: () => 'A new password for Nudrik',
  'sign-in': () => 'Your way into Nudrik',
};
const LINKS: Readonly<Record<KeyPurpose, string>> = {
  invitation: 'Choose a password and enter',
  password: 'Choose a new password',
  'sign-in': 'Enter',
};

/** Sends somebody the key that was made for them. */
async function sendKey(
  deps: Deps,
  to: { name: string; email: string },
  purpose: KeyPurpose,
  key: string,
  words: string[],
): Promise<Handover> {
  const { organisation } = await getHouse(deps.db);
  return sendHouseMail(deps, {
    to: to.email,
    toName: to.name,
    subject: SUBJECTS[purpose](organisation),
    paragraphs: words,
    link: { words: LINKS[purpose], url: `${deps.settings.baseUrl}/enter/${key}` },
  });
}

const ARTICLE: Record<string, string> = { administrator: 'an administrator', auditor: 'an auditor', employee: 'an employee' };
const roleWords = (role: string): string => ARTICLE[role] ?? `a ${role}`;

/** Invites somebody by mail, or again somebody who was invited or whose account had ended. Their password is their own. */
export async function invite(deps: Deps, { email, name, role }: AccountInvite, byWhom: string): Promise<InviteResult> {
  const now = deps.clock.now();
  const { id, key } = await transaction(deps.db, async (client) => {
    const there = await findByAddress(client, email);
    if (there && !there.ended_at && there.has_password)
      throw new Refused(
        'conflict',
        `${there.name} (${there.email}) has an account already, as ${roleWords(there.role)}. Change its role instead; nothing was sent.`,
      );
    const account = there?.id ?? (await addAccount(client, { email, name, role }));
    if (!account) throw new Refused('conflict', `${email} was invited by somebody else in this moment; nothing was sent.`);
    if (there) {
      await setEnded(client, account, false);
      await setRole(client, account, role);
    }
    await addAccountEvent(client, account, now, byWhom, `Invited as ${roleWords(role)}.`);
    await announce(client, 'accounts');
    return { id: account, key: await makeKey(client, account, 'invitation') };
  });
  const { organisation } = await getHouse(deps.db);
  const handover = await sendKey(deps, { name, email }, 'invitation', key, [
    `${byWhom} gave you an account in Nudrik, where ${organisation} runs its required training. You are ${roleWords(role)} there.`,
    'The link opens once, within seven days. Should it have run out, ask for another on the sign-in page.',
  ]);
  const isSent = handover.outcome === 'accepted';
  return {
    id,
    isSent,
    words: isSent
      ? `${name} was invited; the mail server took the mail to ${email}.`
      : `The account stands, and the mail server did not take the mail to ${email}: “${handover.response}”. Invite again once that is mended.`,
  };
}

async function locked(client: Client, id: string): Promise<LockedAccount> {
  const administrators = await lockAdministrators(client);
  const account = await lockAccount(client, id);
  if (!account) throw new Refused('not-found', 'There is no such account.');
  if (administrators.length === 1 && administrators[0] === id)
    throw new Refused(
      'conflict',
      `${account.name} is the only administrator: somebody has to be. Invite another one first; nothing was changed.`,
    );
  return account;
}

/** Gives an account another role, from its next request on. */
export async function changeAccount(deps: Deps, id: string, { role }: AccountChange, byWhom: string): Promise<void> {
  await transaction(deps.db, async (client) => {
    const account = await locked(client, id);
    if (account.role === role) return;
    await setRole(client, id, role);
    await addAccountEvent(client, id, deps.clock.now(), byWhom, `Role changed from ${account.role} to ${role}.`);
    await announce(client, 'accounts');
  });
}

/** Ends an account at once: its sessions and keys open nothing any more. What was done with it stays on the record. */
export async function endAccount(deps: Deps, id: string, byWhom: { id: string; name: string }): Promise<void> {
  if (id === byWhom.id)
    throw new Refused('conflict', 'This is your own account: another administrator has to end it. Nothing was changed.');
  await transaction(deps.db, async (client) => {
    const account = await locked(client, id);
    if (account.ended_at) throw new Refused('conflict', `The account of ${account.name} has ended already; nothing was changed.`);
    await setEnded(client, id, true);
    await setPassword(client, id, null);
    await endSessions(client, id);
    await forgetKeys(client, id);
    await addAccountEvent(client, id, deps.clock.now(), byWhom.name, 'Ended.');
    await announce(client, 'accounts');
  });
}

/**
 * Sends a link to whoever has an account, or has people below them. What is answered is the same for everyone: nobody learns
 * here who has one.
 */
export async function askForLink(deps: Deps, email: string): Promise<void> {
  const made = await transaction(deps.db, async (client) => {
    let account = await findByAddress(client, email);
    if (account?.ended_at) return null;
    if (!account) {
      const manager = await findManager(client, email, await houseToday(deps));
      if (!manager || !(await addAccount(client, { ...manager, role: 'manager' }))) return null;
      account = (await findByAddress(client, email))!;
      await addAccountEvent(client, account.id, deps.clock.now(), manager.name, 'Came in as a manager, by a link: has people below them.');
    }
    // a manager needs no password: the link is the way in
    const purpose: KeyPurpose = account.role === 'manager' && !account.has_password ? 'sign-in' : 'password';
    return { account, purpose, key: await makeKey(client, account.id, purpose) };
  });
  if (!made) return;
  const { account, purpose, key } = made;
  const words =
    purpose === 'sign-in'
      ? [
          'Somebody, probably you, asked for a way into Nudrik.',
          'The link opens once, within half an hour. If it was not you, nothing has to be done.',
        ]
      : [
          'Somebody, probably you, asked for a new password for Nudrik.',
          'The link opens once, within an hour. If it was not you, nothing has to be done: your password stays.',
        ];
  const handover = await sendKey(deps, account, purpose, key, words);
  if (handover.outcome !== 'accepted')
    deps.log.warn({ account: account.id, response: handover.response }, 'A link was not taken by the mail server.');
}

/** What a key opens; looking uses nothing up, since mail programs look at links too. */
export async function lookAtKey(deps: Deps, key: string): Promise<KeyView> {
  const found = await findKey(deps.db, key);
  if (!found) throw new Refused('wrong-link', WORN);
  const { organisation } = await getHouse(deps.db);
  return { purpose: found.purpose, name: found.name, email: found.email, organisation };
}

export const WORN = 'This link opened before, or has run out. Ask for a new one on the sign-in page.';

/** Opens what a key opens, once. @returns the account that it lets in */
export async function useKey(deps: Deps, key: string, password: string | null): Promise<string> {
  const looked = await findKey(deps.db, key);
  if (!looked) throw new Refused('wrong-link', WORN);
  if (looked.purpose !== 'sign-in' && password === null) throw new Refused('wrong-input', 'Expected a password of at least 12 characters.');
  // what takes long is done before anything is locked
  const hash = password === null ? null : await hashPassword(password);
  return transaction(deps.db, async (client) => {
    if (!(await takeKey(client, key))) throw new Refused('wrong-link', WORN);
    if (looked.purpose === 'sign-in') return looked.account_id;
    await setPassword(client, looked.account_id, hash);
    await endSessions(client, looked.account_id);
    await addAccountEvent(client, looked.account_id, deps.clock.now(), looked.name, 'Chose a password.');
    await announce(client, 'accounts');
    return looked.account_id;
  });
}

/** Another password of one's own; every other session ends. */
export async function changePassword(deps: Deps, account: { id: string; name: string }, password: string): Promise<void> {
  const hash = await hashPassword(password);
  await transaction(deps.db, async (client) => {
    await setPassword(client, account.id, hash);
    await forgetKeys(client, account.id);
    await addAccountEvent(client, account.id, deps.clock.now(), account.name, 'Changed the password.');
  });
}
