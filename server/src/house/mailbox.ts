import type { MailboxView } from '@nudrik/contract';
import { announce, transaction } from '../db/db.ts';
import type { Deps } from '../deps.ts';
import { mailboxName } from '../messages/mailbox.ts';
import { findMailbox, forgetLeft } from '../messages/mailbox.repo.ts';
import { recordHouse } from './record.ts';

/** The mailbox that mail is fetched from, and how the last look went; null where none is set. */
export async function mailboxView({ db, settings }: Deps): Promise<MailboxView | null> {
  if (!settings.mailbox) return null;
  const name = mailboxName(settings.mailbox);
  const row = await findMailbox(db, name);
  return {
    name,
    lookedAt: row?.looked_at?.toISOString() ?? null,
    failingSince: row?.failing_since?.toISOString() ?? null,
    words: row?.words ?? null,
    taken: Number(row?.taken ?? 0),
    left: row?.left_behind ?? [],
  };
}

/** Somebody looked at what could not be taken: it is off the list, and on the record. */
export async function seeLeft(deps: Deps, byWhom: string): Promise<MailboxView | null> {
  const view = await mailboxView(deps);
  if (!view || view.left.length === 0) return view;
  const told = (words: string) => Object.fromEntries(view.left.map(({ from, subject }) => [`“${subject}” from ${from}`, words]));
  await transaction(deps.db, async (client) => {
    await forgetLeft(client, view.name);
    await recordHouse(
      client,
      'settings',
      { at: deps.clock.now(), byWhom },
      'What could not be taken from the mailbox',
      told('lies there'),
      told('looked at'),
    );
    await announce(client, 'settings', 'people');
  });
  return mailboxView(deps);
}
