import { z } from 'zod';
import { MailAddress } from '@nudrik/contract';
import { oneRow, transaction, type Pool } from '../db/db.ts';
import { forgetFactor } from './second-factor.repo.ts';
import { endSessions, hashPassword } from './sessions.ts';

const isZone = (name: string): boolean => {
  try {
    new Intl.DateTimeFormat('en', { timeZone: name });
    return true;
  } catch {
    return false;
  }
};
const Zone = z.string().refine(isZone, 'expected an IANA time zone such as Europe/Oslo');

/** What a new installation needs before anyone can sign in. */
export const SetupRequest = z.object({
  organisation: z.string().min(1),
  zone: Zone,
  place: z.string().min(1),
  sender: MailAddress,
  replyTo: MailAddress,
  admin: MailAddress,
  password: z.string().min(12, 'expected at least 12 characters in NUDRIK_PASSWORD'),
  sites: z.array(z.object({ name: z.string().min(1), zone: Zone })).min(1, 'expected at least one --site "Name=Zone"'),
});
export type SetupRequest = z.infer<typeof SetupRequest>;

const PUT_SETTINGS = `
insert into settings (organisation, house_zone, house_place, sender_name, sender_address, reply_to, list_id)
values ($1::text, $2::text, $3::text, $1::text || ' training', $4::text, $5::text, 'training.' || split_part($4::text, '@', 2))
on conflict (id) do update set organisation = excluded.organisation, house_zone = excluded.house_zone, house_place = excluded.house_place,
  sender_address = excluded.sender_address, reply_to = excluded.reply_to
`;

const PUT_ADMIN = `
insert into accounts (email, name, role, password_hash)
values (lower($1::text), $1::text, 'administrator', $2::text)
on conflict (email) do update set password_hash = excluded.password_hash, role = 'administrator', ended_at = null
returning id
`;

const PUT_SITE = `
insert into sites (name, zone)
values ($1::text, $2::text)
on conflict (name) do update
set zone = excluded.zone
`;

/** Settings, sites and the first administrator. Run again, it changes them, and ends the sessions of who had the former password. */
export async function setUp(db: Pool, request: SetupRequest): Promise<void> {
  await transaction(db, async (client) => {
    await client.query(PUT_SETTINGS, [request.organisation, request.zone, request.place, request.sender, request.replyTo]);
    for (const site of request.sites) await client.query(PUT_SITE, [site.name, site.zone]);
    const { id } = await oneRow<{ id: string }>(client, PUT_ADMIN, [request.admin, await hashPassword(request.password)]);
    await endSessions(client, id);
    // whoever sets the house up has the machine: a lost phone shuts nobody out for good
    await forgetFactor(client, id);
  });
}
