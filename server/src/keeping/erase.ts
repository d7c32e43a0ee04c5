import type { ErasePreview } from '@nudrik/contract';
import { dateOf, dayOf, tellAmount, tellDate, tellList, Zone } from '@nudrik/core';
import { closeIn } from '../assignments/change.ts';
import { announce, transaction, type Client, type Queryable } from '../db/db.ts';
import type { Deps } from '../deps.ts';
import { getHouse } from '../house/house.ts';
import { noteHouse } from '../house/record.ts';
import { lockRoster } from '../people/import.ts';
import { houseToday } from '../people/today.ts';
import { Refused } from '../refusal.ts';
import { sealedKindsOf, sealErased, sealLater } from '../seals/seals.repo.ts';
import { AT_ONCE, type Work } from '../work/jobs.ts';
import { keepList, listFault } from './erased-list.ts';
import {
  countEntries,
  countFiles,
  countGoing,
  countStaying,
  dropFromFeed,
  dropNamingFiles,
  findErasable,
  hasNamesake,
  insertErasure,
  listAboutOnly,
  listNamed,
  listOpenOf,
  listTies,
  lockErasable,
  noteErased,
  removeOwn,
  type Erasable,
} from './erase.repo.ts';
import { addressOf, marksOf, pseudonymOf } from './marks.ts';
import { listSwept, listWritten, partsOf, sweep, thatAre, theirRows, type Swept } from './sweep.repo.ts';
import { asWritten, exactTrace, valueTrace, wholeTrace, wordsTrace, type Trace } from './traces.ts';

const WRITTEN_WORDS: Readonly<Record<string, string>> = {
  courses: 'courses',
  course_versions: 'versions of courses',
  course_drafts: 'drafts of courses',
  sections: 'sections',
  units: 'units',
  plans: 'plans',
  plan_versions: 'versions of plans',
  plan_drafts: 'drafts of plans',
  certificate_designs: 'designs of certificates',
  certificate_design_versions: 'versions of designs',
  requirements: 'requirements',
  requirement_events: 'changes of requirements',
};

/** Who of them may not be erased yet, each with what to do. */
async function faultsOf(deps: Deps, db: Queryable, person: Erasable): Promise<string[]> {
  const today = await houseToday(deps);
  if (person.erased_at !== null) return [`${person.name} is what somebody is called who was erased.`];
  const faults: string[] = [];
  if (person.left_on === null) faults.push(`${person.name} is here. Whoever is erased has left: enter the day first.`);
  else if (person.left_on > today) faults.push(`${person.name} is here until ${tellDate(dayOf(person.left_on))}. Whoever is erased has left.`);
  const ties = await listTies(db, person.id, today, new Date(deps.clock.now()));
  const told = (tie: (typeof ties)[number]['tie']): string[] => ties.filter((one) => one.tie === tie).map(({ words }) => words);
  const few = (list: readonly string[]): string => (list.length > 3 ? `${tellList(list.slice(0, 3))} and ${list.length - 3} more` : tellList(list));
  if (told('owns').length > 0) faults.push(`They are the trainer of ${few(told('owns'))}. Name another first.`);
  if (told('leads').length > 0) faults.push(`They are the manager of ${few(told('leads'))}. Name another first.`);
  if (told('holds').length > 0) faults.push(`They hold ${few(told('holds'))}. Name another trainer of it first.`);
  if (told('covers').length > 0) faults.push(`They cover for ${few(told('covers'))}. Name another first.`);
  const fault = listFault(deps.settings.erasedFile);
  if (fault) faults.push(fault);
  return faults;
} // prettier-ignore

/** What is looked for everywhere: a name of one word may be any word, and one that others have too may mean them. */
const isDistinct = (name: string): boolean => /\S\s+\S/.test(name.trim()) && name.trim().length >= 5;

/** Whom it would erase, what they would be called, and what stands in the way. */
export async function lookAtErasing(deps: Deps, id: string): Promise<{ person: Erasable; pseudonym: string; faults: string[] }> {
  const person = await findErasable(deps.db, id);
  if (!person) throw new Refused('not-found', 'There is no such person, or not any more.');
  return { person, pseudonym: pseudonymOf(deps.settings.key, person.house_id, id), faults: await faultsOf(deps, deps.db, person) };
}

/** What erasing somebody would bring. Nothing is changed by it. */
export async function previewErase(deps: Deps, id: string): Promise<ErasePreview> {
  const { db } = deps;
  const { person, pseudonym, faults } = await lookAtErasing(deps, id);
  const notes: string[] = [];
  const open = await listOpenOf(db, id);
  if (open.length > 0) notes.push(`${tellAmount(open.length, 'assignments')} still open ${open.length === 1 ? 'is' : 'are'} withdrawn.`);
  const { rosters, made } = await countFiles(db);
  if (rosters > 0) notes.push(`${tellAmount(rosters, 'roster files')} that ${rosters === 1 ? 'was' : 'were'} taken ${rosters === 1 ? 'goes' : 'go'} too, as they name everybody; what they changed stays on the record.`);
  if (made > 0) notes.push(`${tellAmount(made, 'files')} that ${made === 1 ? 'was' : 'were'} made to be fetched ${made === 1 ? 'goes' : 'go'} too, as they may name them. They can be made anew.`);
  const namesake = await hasNamesake(db, person, wordsTrace(person.name, '').pattern);
  if (namesake) notes.push(`Somebody else is called ${person.name} too: in texts about others the name stays, as nobody knows whom it means.`);
  else {
    const written = await transaction(db, (client) => listWritten(client, wordsTrace(person.name, '')));
    const told = written.flatMap(({ table, count }) => (WRITTEN_WORDS[table] ? [`${count} ${WRITTEN_WORDS[table]}`] : []));
    if (told.length > 0) notes.push(`The name stands in what the house wrote itself (${tellList(told)}). That stays as it is: write it anew where it should go.`);
  }
  notes.push('What left the house before cannot be called back: mails, files that were fetched, evidence packs, and backups. A backup that is restored erases them again.');
  return {
    name: person.name,
    pseudonym,
    faults,
    goes: await countGoing(db, id),
    stays: await countStaying(db, id),
    notes,
  };
} // prettier-ignore

/** An erasure that was made before, in a database that a backup brought back. */
export interface Again {
  at: Date;
  byWhom: string;
  reason: string;
  pseudonym: string;
}

/** What is looked for, and what stands in its place. */
async function tracesOf(client: Client, person: Erasable, pseudonym: string): Promise<{ everywhere: Trace[]; theirs: Trace[] }> {
  const address = addressOf(pseudonym);
  const everywhere: Trace[] = [];
  const theirs: Trace[] = [];
  const was = await listNamed(client, person.id);
  const all = (field: (typeof was)[number]['field'], now: string | null): string[] => [...new Set([now, ...was.flatMap((one) => (one.field === field ? [one.value] : []))])].filter((value): value is string => !!value?.trim());
  for (const email of all('email', person.email)) everywhere.push(exactTrace(email, address));
  for (const number of all('personnelNumber', person.number)) {
    // mere digits may count anything
    everywhere.push(/\p{L}/u.test(number) && number.length >= 4 ? exactTrace(number, pseudonym) : valueTrace(number, pseudonym));
  }
  for (const chatName of all('chatName', person.chat_name)) (chatName.length >= 5 ? everywhere : theirs).push(exactTrace(chatName, pseudonym));
  for (const name of all('name', person.name)) {
    const shared = await hasNamesake(client, person, wordsTrace(name, '').pattern);
    const within = isDistinct(name) ? wordsTrace(name, pseudonym) : asWritten(wordsTrace(name, pseudonym));
    if (shared) {
      theirs.push(within);
      // somebody has it within their own, and nobody has just the same: where it is all that there is, it means them
      if (!(await hasNamesake(client, person, wholeTrace(name, '').pattern))) everywhere.push(wholeTrace(name, pseudonym), valueTrace(name, pseudonym));
    } else if (isDistinct(name)) everywhere.push(within);
    else {
      everywhere.push(wholeTrace(name, pseudonym), valueTrace(name, pseudonym));
      theirs.push(within);
    }
  }
  return { everywhere, theirs };
} // prettier-ignore

/**
 * Erases somebody who left: what is theirs alone goes, and in what has to stay they are called by a pseudonym from then on. All of it
 * or nothing, in one transaction; who did it and why is on the record, and what was sealed is sealed anew, as that.
 * @param again an erasure that was made before: its moment and its words are kept
 * @throws Refused where somebody is not to be erased yet
 */
export async function erasePerson(
  deps: Deps,
  id: string,
  reason: string,
  byWhom: string,
  work: Work = AT_ONCE,
  again: Again | null = null,
): Promise<{ pseudonym: string }> {
  const { key, erasedFile } = deps.settings;
  const at = again?.at ?? new Date(deps.clock.now());
  const pseudonym = await transaction(deps.db, async (client) => {
    const check = async (was: Erasable | null): Promise<Erasable> => {
      if (!was) throw new Refused('not-found', 'There is no such person, or not any more. Nothing was erased.');
      const faults = again === null || was.erased_at !== null ? await faultsOf(deps, client, was) : [];
      if (faults.length > 0) throw new Refused('conflict', `${faults.join(' ')} Nothing was erased.`);
      return was;
    };
    const person = await check(await findErasable(client, id));
    const called = again?.pseudonym ?? pseudonymOf(key, person.house_id, id);
    const marks = marksOf(key, person, await listNamed(client, id));
    const { everywhere, theirs } = await tracesOf(client, person, called);
    const goes = await countGoing(client, id);
    const changed = new Map<string, string[]>();
    const note = (table: string, ids: readonly string[]): void => void changed.set(table, [...(changed.get(table) ?? []), ...ids]);
    await dropFromFeed(client, person);
    // what takes long comes first, and nobody waits for it: of the roster itself nothing is touched yet
    const swept = await listSwept(client);
    const parts: { table: Swept; where: string }[] = [];
    for (const table of swept) if (table.table !== 'people') parts.push(...(await partsOf(client, table)));
    for (const [done, { table, where }] of parts.entries()) {
      if (done % 10 === 0) await work.at(done, parts.length + 1);
      note(table.table, (await sweep(client, table, everywhere, where)).ids);
    }
    await work.at(parts.length, parts.length + 1);
    await lockRoster(client);
    const now = await check(await lockErasable(client, id));
    if (now.name !== person.name || now.email !== person.email || now.number !== person.number) throw new Refused('stale', `${person.name} was changed meanwhile. Nothing was erased; look again.`); // prettier-ignore
    const open = await listOpenOf(client, id);
    if (open.length > 0)
      await closeIn(deps, client, 'withdrawn', { assignmentIds: open, reason: 'erased', told: null, until: null } as never, byWhom);
    const aboutOnly = await listAboutOnly(client, id);
    const own = await removeOwn(client, id, { pseudonym: called, address: addressOf(called), at });
    for (const [table, ids] of own) note(table, ids);
    await dropNamingFiles(client);
    const erasure = await insertErasure(client, {
      person: { id, pseudonym: called, marks },
      keptNoLonger: null,
      at,
      byWhom,
      reason,
      counts: goes,
    });
    await noteErased(client, id, at, byWhom);
    const rows = theirRows(id);
    // whoever erases may name them in their words, and a withdrawal just now tells of them
    const late: Readonly<Record<string, string>> = {
      people: 'true',
      erasures: 'true',
      acts: rows['acts']!,
      assignment_events: rows['assignment_events']!,
    };
    for (const table of swept) if (late[table.table]) note(table.table, (await sweep(client, table, everywhere, late[table.table])).ids);
    // names that may be others' too are taken out only where it is about them
    for (const table of swept)
      for (const trace of rows[table.table] ? theirs : []) note(table.table, (await sweep(client, table, [trace], rows[table.table])).ids);
    const given = person.name.trim().split(/\s+/);
    if (aboutOnly.length > 0 && given[0]!.length >= 2) {
      const messages = swept.find(({ table }) => table === 'messages')!;
      note('messages', (await sweep(client, messages, [asWritten(wordsTrace(given[0]!, called))], `id in (${aboutOnly.join(', ')})`)).ids);
    }
    for (const [table, ids] of changed)
      for (const { kind, where } of sealedKindsOf(table))
        if (table !== 'erasures' && ids.length > 0) await sealErased(client, kind, await thatAre(client, table, where, ids), erasure);
    // other erasures that they made name them by their pseudonym since
    const others = (changed.get('erasures') ?? []).filter((one) => one !== erasure);
    if (others.length > 0) await sealErased(client, 'erasure', [...new Set(others)], erasure);
    await countEntries(client, erasure);
    await sealLater(client, 'erasure', [erasure]);
    const day = tellDate(dayOf(dateOf(Zone.of((await getHouse(client)).zone).dayAt(at.getTime()))));
    await noteHouse(client, 'keeping', { at: deps.clock.now(), byWhom }, again ? `${called}, erased on ${day}, was erased again: a backup had brought them back.` : `${called} was erased.`); // prettier-ignore
    await announce(client, 'people', 'assignments', 'notices', 'keeping', 'work');
    await work.finish(client, { pseudonym: called });
    return called;
  });
  if (erasedFile) await keepList(deps);
  return { pseudonym };
}
