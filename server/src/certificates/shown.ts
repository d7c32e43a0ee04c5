import type { ShownCertificate, ShownLink } from '@nudrik/contract';
import { newToken, readLink, signedToken } from '../access/personal-link.ts';
import { maybeRow, transaction, type Client, type Queryable } from '../db/db.ts';
import type { Deps } from '../deps.ts';
import { houseToday } from '../people/today.ts';
import { Refused } from '../refusal.ts';
import { findCertificate, printedOf, verdictOn, type CertificateDbRow } from './certificates.repo.ts';
import { drawSvg } from './draw-svg.ts';
import { readSheet } from './made.ts';

const FIND_STANDING = `
select k.id, k.serial, k.issuer, k.revoked_at, p.name
from standing_certificates k
join people p on p.id = k.person_id
where k.assignment_id = $1::bigint
`;
const FIND_OPEN = `
select token, made_at
from certificate_links
where certificate_id = $1::bigint
  and ended_at is null
`;
const INSERT = `
insert into certificate_links (certificate_id, token, made_at, made_by)
values ($1::bigint, $2::text, $3::timestamptz, $4::text)
on conflict do nothing
`;
const END = `
update certificate_links
set ended_at = $2::timestamptz, ended_by = $3::text
where certificate_id = $1::bigint
  and ended_at is null
`;
const FIND_SERIAL = `
select k.serial
from certificate_links l
join certificates k on k.id = l.certificate_id
where l.token = $1::text
  and l.ended_at is null
`;

interface Standing {
  id: string;
  serial: string;
  issuer: string | null;
  revoked_at: Date | null;
  name: string;
}

const linkOf = async ({ settings }: Deps, db: Queryable, standing: Standing): Promise<ShownLink> => {
  const open = await maybeRow<{ token: string; made_at: Date }>(db, FIND_OPEN, [standing.id]);
  return {
    url: open && `${settings.baseUrl}/shown/${signedToken(settings.key, 'shown', open.token)}`,
    madeAt: open?.made_at.toISOString() ?? null,
    canShow: standing.issuer === null && standing.revoked_at === null,
  };
};

const standingOf = (db: Queryable, assignmentId: string): Promise<Standing | null> => maybeRow(db, FIND_STANDING, [assignmentId]);

/** The page by which a holder shows the certificate of an assignment: none where nobody made one. */
export async function shownLink(deps: Deps, assignmentId: string): Promise<ShownLink> {
  const standing = await standingOf(deps.db, assignmentId);
  return standing ? linkOf(deps, deps.db, standing) : { url: null, madeAt: null, canShow: false };
}

/** Makes it; one that is there stays. */
export const makeShownLink = (deps: Deps, assignmentId: string): Promise<ShownLink> =>
  transaction(deps.db, async (client: Client) => {
    const standing = await standingOf(client, assignmentId);
    if (!standing || standing.issuer !== null || standing.revoked_at)
      throw new Refused('conflict', 'There is no certificate of ours that holds, so there is nothing to show. Nothing was made.');
    await client.query(INSERT, [standing.id, newToken(), new Date(deps.clock.now()), standing.name]);
    return linkOf(deps, client, standing);
  });

/** Ends it: whoever has its address sees nothing any more. */
export async function endShownLink(deps: Deps, assignmentId: string): Promise<ShownLink> {
  const standing = await standingOf(deps.db, assignmentId);
  if (!standing) return { url: null, madeAt: null, canShow: false };
  await deps.db.query(END, [standing.id, new Date(deps.clock.now()), standing.name]);
  return linkOf(deps, deps.db, standing);
}

/** The same by the office, of any certificate. */
export async function endShown(deps: Deps, serial: string, byWhom: string): Promise<void> {
  const row = await findCertificate(deps.db, serial);
  if (!row) throw new Refused('not-found', 'There is no such certificate.');
  await deps.db.query(END, [row.id, new Date(deps.clock.now()), byWhom]);
}

/** The certificate behind such a page. @throws Refused where it ended, or never was */
export async function findShown(deps: Deps, link: string): Promise<CertificateDbRow> {
  const { token } = readLink(deps.settings.key, 'shown', link);
  const found = token === null ? null : await maybeRow<{ serial: string }>(deps.db, FIND_SERIAL, [token]);
  const row = found && (await findCertificate(deps.db, found.serial));
  if (!row) throw new Refused('wrong-link', 'Nothing is shown here, or not any more: ask whoever sent you the link.');
  return row;
}

/** What the page says: no more than the certificate. */
export async function shownCertificate(deps: Deps, link: string): Promise<ShownCertificate> {
  const { db, settings } = deps;
  const row = await findShown(deps, link);
  const verdict = await verdictOn(db, row, await houseToday(deps));
  const sheet = await readSheet(db, { ...row, printed: printedOf(row, verdict.organisation) }, settings.baseUrl);
  const hrefOf = (id: string | null): string => {
    const { content } = sheet.pictureOf(id)!;
    return `data:image/${content[0] === 0x89 ? 'png' : 'jpeg'};base64,${content.toString('base64')}`;
  };
  return {
    answer: verdict.answer,
    serial: row.serial,
    name: verdict.name,
    course: verdict.course,
    issuedOn: row.issued_on,
    expiresOn: row.expires_on,
    organisation: verdict.organisation,
    svg: drawSvg({ ...sheet, hrefOf }),
    hasBadge: verdict.answer === 'genuine',
  };
}
