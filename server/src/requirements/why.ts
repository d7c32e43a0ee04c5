import { compileAudience, dateOf, factsBehind, noRecord, standingOf, tellAudience, tellDate, tellList, Zone } from '@nudrik/core';
import type { WhyCourse } from '@nudrik/contract';
import { maybeRow, rows } from '../db/db.ts';
import type { Deps } from '../deps.ts';
import { getHouse } from '../house/house.ts';
import { Refused } from '../refusal.ts';
import { findRequirementRow, listRequirementPeople, loadCalendars, loadNames, loadRecords, loadStructure, requirementOf } from './facts.ts';
import { tellStanding } from './preview.ts';

const FIND_NEWEST = `
select a.id, a.is_by_hand, a.assigned_at, a.assigned_by, a.completed_on, k.title, p.name, s.zone
from assignments a
join courses k on k.id = a.course_id
join people p on p.id = a.person_id
join sites s on s.id = p.site_id
where a.person_id = $1::bigint
  and a.course_id = $2::bigint
  and a.closed_because is distinct from 'undone'
order by a.round desc
limit 1
`;
const LIST_REASONS = `
select requirement_id, words, since
from assignment_reasons
where assignment_id = $1::bigint
order by since, requirement_id
`;

/** Why somebody has a course: the requirements that asked for it, what they said, and the facts that make it so today. */
export async function whyCourse(deps: Deps, personId: string, courseId: string): Promise<WhyCourse> {
  const { db } = deps;
  const newest = await maybeRow<{
    id: string;
    is_by_hand: boolean;
    assigned_at: Date;
    assigned_by: string | null;
    completed_on: string | null;
    title: string;
    name: string;
    zone: string;
  }>(db, FIND_NEWEST, [personId, courseId]);
  if (!newest) throw new Refused('not-found', 'This person does not have this course.');
  const [person] = await listRequirementPeople(db, [personId]);
  const structure = await loadStructure(db, [personId]);
  const records = (await loadRecords(db, [personId], courseId)).get(personId);
  const calendar = (await loadCalendars(db)).get(person!.site)!;
  const now = deps.clock.now();
  const today = dateOf(calendar.zone.dayAt(now));
  const morning = (await getHouse(db)).sending.sendWindow.from;
  const reasons: WhyCourse['reasons'] = [];
  const told: string[] = [];
  for (const reason of await rows<{ requirement_id: string; words: string; since: Date }>(db, LIST_REASONS, [newest.id])) {
    const row = (await findRequirementRow(db, reason.requirement_id))!;
    const requirement = requirementOf(row);
    const names = await loadNames(db, [requirement.audience]);
    const matcher = compileAudience(requirement.audience, structure, today);
    const standing = standingOf(
      requirement,
      matcher,
      { person: person!, calendar, now, morning },
      records?.get(courseId) ?? noRecord(courseId),
    );
    const isStill = row.is_on && standing.kind !== 'out';
    const facts = matcher.test(person!) ? factsBehind(requirement.audience, person!, structure, names, today) : [];
    reasons.push({
      requirement: { id: row.id, name: row.name },
      words: reason.words,
      since: reason.since.toISOString(),
      facts,
      isStill,
    });
    const since = row.is_on ? `; today that is no longer so: ${tellStanding(standing)}` : '; it has been switched off since';
    const still = facts.length > 0 ? `, and ${newest.name} ${tellList(facts)}` : '';
    told.push(`“${row.name}” asks it of ${tellAudience(requirement.audience, names)}${isStill ? still : since}`);
  }
  const by = newest.assigned_by && newest.assigned_by !== 'Nudrik' ? ` by ${newest.assigned_by}` : '';
  const on = tellDate(Zone.of(newest.zone).dayAt(newest.assigned_at.getTime()));
  if (newest.is_by_hand)
    reasons.unshift({
      requirement: null,
      words: newest.completed_on && reasons.length === 0 ? `recorded${by} as finished earlier` : `assigned by hand${by} on ${on}`,
      since: newest.assigned_at.toISOString(),
      facts: [],
      isStill: true,
    });
  const hand = newest.is_by_hand ? `${newest.name} was ${reasons[0]!.words}` : '';
  return { words: `${[hand, ...told].filter(Boolean).join('. ')}.`.replace(/^./, (first) => first.toUpperCase()), reasons };
}
