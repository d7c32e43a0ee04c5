import type { Writable } from 'node:stream';
import { dateOf, tellAmount, tellMoment, tellTime, Zone, zoneWords } from '@nudrik/core';
import { drawFlow, type FlowBlock } from '../certificates/draw-flow.ts';
import { certificatePdf } from '../certificates/certificates.repo.ts';
import type { Deps } from '../deps.ts';
import { getHouse } from '../house/house.ts';
import { asSent } from '../messages/as-sent.ts';
import { emlOf } from '../messages/mbox.ts';
import { timelineOf } from '../people/timeline.ts';
import { Refused } from '../refusal.ts';
import { listOwn, listOwnMessages, listOwnSerials, OWN_SECTIONS, type OwnSection } from './own-data.repo.ts';
import { PackFile } from './pack-file.ts';
import { findTitle, listSentMessages } from './packs.repo.ts';

const TOLD: Readonly<Record<OwnSection, string>> = {
  person: 'Who they are',
  changes: 'Changes of them',
  groups: 'Groups',
  leave: 'Leave',
  assignments: 'What they were asked for',
  events: 'What happened with it',
  units: 'Where they are in units',
  quizzes: 'Quizzes',
  surveys: 'Answers to surveys',
  signOffs: 'Practical sign-offs',
  seats: 'Seats in sessions',
  certificates: 'Certificates',
  notices: 'Notices about them, and to them',
  openings: 'When they opened a course by a link',
  declined: 'Messages that they declined',
  waiversAskedFor: 'Waivers asked for',
  conversations: 'Conversations',
  writtenToOthers: 'Words to what others on a course asked',
  statements: 'What other programs told of them',
  account: 'Account',
};

export interface OwnData {
  name: string;
  write(out: Writable): Promise<void>;
}

/**
 * All that is kept of one person, for them: as JSON, as a PDF to be read, each message that they got, and their certificates, in a
 * zip. Keys and passwords are left out: they open something.
 */
export async function ownData(deps: Deps, person: string): Promise<OwnData> {
  const { db } = deps;
  const name = await findTitle(db, 'person', person);
  if (name === null) throw new Refused('not-found', 'There is no such person, or not any more.');
  const house = await getHouse(db);
  const zone = Zone.of(house.zone);
  const now = deps.clock.now();
  const write = async (out: Writable): Promise<void> => {
    const pack = new PackFile(out, new Date(now));
    try {
      const data: Record<string, unknown> = { format: 'nudrik-person', version: 1, house: house.organisation, madeAt: new Date(now).toISOString() };
      const counts: [string, string][] = [];
      for (const section of OWN_SECTIONS) {
        const list = await listOwn(db, section, person);
        data[section] = section === 'person' ? (list[0] ?? null) : list;
        counts.push([TOLD[section], section === 'person' ? name : list.length === 0 ? 'nothing' : tellAmount(list.length, 'entries')]);
      }
      const messages = await listOwnMessages(db, person);
      for (let from = 0; from < messages.length; from += 100)
        for (const row of await listSentMessages(db, messages.slice(from, from + 100))) {
          const local = zone.toLocal(row.composed_at.getTime());
          const path = pack.pathFor('messages/', `${dateOf(local.day)} ${tellTime(row.composed_at.getTime(), zone).replace(':', '')} ${row.subject}`, 'eml');
          await pack.addBytes(path, await emlOf(row.composed_at, asSent(row, house)));
        }
      for (const serial of await listOwnSerials(db, person)) {
        const pdf = await certificatePdf(db, serial, deps.settings.baseUrl);
        if (pdf) await pack.addBytes(pack.pathFor('certificates/', serial, 'pdf'), pdf);
      }
      await pack.addBytes('data.json', `${JSON.stringify(data, null, 1)}\n`);
      const happened = (await timelineOf(db, person, now)).filter(({ isAhead }) => !isAhead);
      const blocks: FlowBlock[] = [
        { kind: 'small', text: house.organisation },
        { kind: 'title', text: `What is kept of ${name}` },
        { kind: 'facts', facts: [['Made', `${tellMoment(now, zone, 0)} (${zoneWords(house.zone)})`], ...counts, ['Messages', messages.length === 0 ? 'none' : `${tellAmount(messages.length, 'messages')}, each in a file of its own`]] },
        { kind: 'text', text: 'The same stands in data.json, word for word, for programs to read. Links that open something in their name, and passwords, are left out.' },
        { kind: 'rule' },
        { kind: 'head', text: 'Everything that happened, the first first' },
        { kind: 'facts', facts: happened.map(({ at, words, byWhom, outcome }): [string, string] => [tellMoment(Date.parse(at), zone, 0), `${words}${outcome ? `: ${outcome}` : ''}${byWhom ? ` (${byWhom})` : ''}`]) },
      ];
      await pack.addBytes('data.pdf', await drawFlow(blocks, { title: `What is kept of ${name}`, author: house.organisation, at: now }));
      await pack.end();
    } catch (error) {
      pack.break(error as Error);
      throw error;
    }
  };
  return { name: `What is kept of ${name}, ${dateOf(zone.dayAt(now))}.zip`.replace(/[\\/:*?"<>|\p{C}]+/gu, ' '), write };
} // prettier-ignore
