import { getHouse, openKey, openPool, rows, signedToken, writeMail, type Letter } from 'nudrik';
import { keepMails, type KnownMail } from '@nudrik/standins';

/** As many as the post room keeps. */
const MOST = 2_000;

const LIST_ARRIVED = `
select m.id, m.message_id, m.to_name, m.to_address, m.from_name, m.from_address, m.reply_to, m.subject, m.html, m.body, m.calendar, m.composed_at
from messages m
where exists (select 1 from notices n where n.message_id = m.id and n.state in ('sent', 'delivered'))
order by m.composed_at desc, m.id desc
limit $1::integer
`;

interface ArrivedRow {
  id: string;
  message_id: string;
  to_name: string;
  to_address: string;
  from_name: string | null;
  from_address: string;
  reply_to: string;
  subject: string;
  html: string;
  body: string;
  calendar: string | null;
  composed_at: Date;
}

const knownOf = (row: ArrivedRow, sender: string): KnownMail => ({
  to: row.to_address,
  from: `"${row.from_name ?? sender}" <${row.from_address}>`,
  subject: row.subject,
  receivedAt: row.composed_at.toISOString(),
  messageId: row.message_id,
  words: row.body,
});

/** Puts the mails of the demo's history where the post room keeps its own: as they arrived, with links that open. @returns how many */
export async function putMails(databaseUrl: string, { folder, keyFile }: { folder: string; keyFile: string }): Promise<number> {
  const db = openPool(databaseUrl, 2);
  try {
    const house = await getHouse(db);
    const key = openKey(keyFile);
    const signed = (text: string): string =>
      text.replace(/\/(go|team)\/([\w-]+)/g, (_, kind: 'go' | 'team', token: string) => `/${kind}/${signedToken(key, kind, token)}`);
    const found = await rows<ArrivedRow>(db, LIST_ARRIVED, [MOST]);
    const letterOf = (row: ArrivedRow): Letter => ({
      messageId: row.id,
      deliveryId: row.id,
      envelopeId: '',
      headerId: row.message_id,
      fromName: row.from_name ?? house.senderName,
      fromAddress: row.from_address,
      replyTo: row.reply_to,
      toName: row.to_name,
      toAddress: row.to_address,
      listId: house.listId,
      organisation: house.organisation,
      subject: row.subject,
      html: signed(row.html),
      text: signed(row.body),
      date: row.composed_at,
      calendar: row.calendar,
    });
    return await keepMails(
      folder,
      (async function* () {
        for (const row of found.reverse()) yield { raw: await writeMail(letterOf(row)), known: knownOf(row, house.senderName) };
      })(),
    );
  } finally {
    await db.end();
  }
}
