import { once } from 'node:events';
import type { Writable } from 'node:stream';
import type { LedgerExport, NoticeRow } from '@nudrik/contract';
import type { Deps } from '../deps.ts';
import { rows, type Queryable } from '../db/db.ts';
import { getHouse, type House } from '../house/house.ts';
import { houseToday } from '../people/today.ts';
import type { Column } from '../reports/table.ts';
import { TABLE_TYPES, writeTable } from '../reports/write-table.ts';
import { madeIn } from '../reports/files.ts';
import { paramsOf } from '../reports/params.ts';
import { AT_ONCE, type Work } from '../work/jobs.ts';
import { partsOfLedger } from './ledger.list.ts';
import { asSent, SENT_COLUMNS, type SentRow } from '../messages/as-sent.ts';
import { mboxEntry } from '../messages/mbox.ts';

/** The columns of the ledger as a file; moments in the house's zone, with their offset. */
export const LEDGER_COLUMNS: readonly Column<NoticeRow>[] = [
  { head: 'Moment', width: 24, cell: (row) => ({ at: row.at }) },
  { head: 'Where it is read', width: 24, cell: (row) => `${row.local} ${row.zone}` },
  { head: 'Kind', width: 14, cell: (row) => row.kind },
  { head: 'Step', width: 24, cell: (row) => row.stepName + (row.occurrence > 0 ? ` (${row.occurrence + 1})` : '') },
  { head: 'Course', width: 28, cell: (row) => row.course.title },
  { head: 'About', width: 24, cell: (row) => row.person.name },
  { head: 'To', width: 24, cell: (row) => row.addressee?.name ?? row.person.name },
  { head: 'Outcome', width: 12, cell: (row) => row.state },
  { head: 'Reason', width: 18, cell: (row) => row.because },
  { head: 'In a sentence', width: 80, cell: (row) => row.sentence },
];

const LIST_SENT = `
select distinct on (m.id) ${SENT_COLUMNS}
from notices n
join messages m on m.id = n.message_id
where n.id = any($1::bigint[])
  and n.state in ('sending', 'sent', 'delivered', 'bounced', 'failed')
order by m.id
`;

/** Messages as an mbox (RFC 4155), each once, however many notices it carries. */
async function writeMbox(db: Queryable, out: Writable, parts: AsyncIterable<readonly NoticeRow[]>, house: House): Promise<void> {
  const seen = new Set<string>();
  for await (const list of parts)
    for (const message of await rows<SentRow>(db, LIST_SENT, [list.map(({ id }) => id)])) {
      if (seen.has(message.id)) continue;
      seen.add(message.id);
      if (!out.write(await mboxEntry(message.from_address, message.composed_at, asSent(message, house)))) await once(out, 'drain');
    }
  out.end();
}

export const LEDGER_TYPES = { ...TABLE_TYPES, mbox: 'application/mbox' } as const;

/** What fits a filter of the ledger, as a file that is made while it is read. */
export async function writeLedger(deps: Deps, { form, ...query }: LedgerExport, out: Writable, work: Work = AT_ONCE): Promise<void> {
  const house = await getHouse(deps.db);
  const parts = partsOfLedger(deps.db, query, deps.clock.now(), await houseToday(deps), work);
  if (form === 'mbox') return writeMbox(deps.db, out, parts, house);
  const about = [['Filter', new URLSearchParams(paramsOf(query)).toString() || 'none']] as const;
  return writeTable(form, out, { title: 'Ledger', about, columns: LEDGER_COLUMNS, parts, total: null }, await madeIn(deps));
}

export const ledgerName = async (deps: Deps, { form }: LedgerExport): Promise<string> => `Ledger, ${await houseToday(deps)}.${form}`;

/** The same as long work: a file that is kept until somebody fetches it. */
export async function exportLedger(deps: Deps, query: LedgerExport, work: Work): Promise<{ href: string }> {
  const file = { name: await ledgerName(deps, query), type: LEDGER_TYPES[query.form] };
  return { href: await work.keepWritten(file, (out) => writeLedger(deps, query, out, work)) };
}
