import type { Person } from '../people/person.ts';
import type { Standing } from '../assignments/state.ts';
import { tellAmount, tellDate, tellDay, tellMoment } from '../time/words.ts';
import { dayOf } from '../time/calendar.ts';
import { DAY_MS, HOUR, type Instant, type Zone } from '../time/zone.ts';
import type { Values } from './template.ts';

export interface ValueFacts {
  employee: Person;
  recipientName: string | null;
  manager: Person | null;
  trainer: Person | null;
  course: { title: string; code: string | null; summary: string | null };
  assignedAt: Instant;
  standing: Standing;
  unitsDone: number;
  unitsRequired: number;
  certificate: { serial: string; expiresOn: string | null } | null;
  organisation: string;
  /** the reader's zone: dates are told in it */
  zone: Zone;
  now: Instant;
}

export const givenNameOf = (name: string): string => name.split(/\s+/)[0] ?? name;

/** `in 2 days`, `in 5 hours`, `3 days ago`: whole local days apart, hours within a day. */
export function tellDistance(from: Instant, to: Instant, zone: Zone): string {
  const days = zone.dayAt(to) - zone.dayAt(from);
  if (Math.abs(to - from) < DAY_MS && Math.abs(days) < 2) {
    const hours = Math.round(Math.abs(to - from) / HOUR);
    if (hours === 0) return 'now';
    return to > from ? `in ${tellAmount(hours, 'hours')}` : `${tellAmount(hours, 'hours')} ago`;
  }
  return days > 0 ? `in ${tellAmount(days, 'days')}` : `${tellAmount(days, 'days')} ago`;
}

export const daysLate = (dueAt: Instant, now: Instant, zone: Zone): number => Math.max(0, zone.dayAt(now) - zone.dayAt(dueAt));

/** The value of every merge field for one notice; null where the person has none, which holds the notice. */
export function valuesFor(facts: ValueFacts): Values {
  const { employee, standing, zone, now } = facts;
  return {
    'given name': givenNameOf(employee.name),
    'full name': employee.name,
    recipient: facts.recipientName ? givenNameOf(facts.recipientName) : null,
    course: facts.course.title,
    'course code': facts.course.code,
    'course summary': facts.course.summary,
    assigned: tellDay(zone.dayAt(facts.assignedAt), zone.dayAt(now)),
    due: tellMoment(standing.dueAt, zone, now),
    'time to due': tellDistance(now, standing.dueAt, zone),
    'days late': String(daysLate(standing.dueAt, now, zone)),
    'units left': tellAmount(Math.max(0, facts.unitsRequired - facts.unitsDone), 'units'),
    'units done': `${facts.unitsDone} of ${tellAmount(facts.unitsRequired, 'units')}`,
    department: employee.department,
    site: employee.site,
    job: employee.job,
    manager: facts.manager?.name ?? null,
    trainer: facts.trainer?.name ?? null,
    finished:
      standing.finishedAt === null ? null : tellDate(standing.finishedOn ? dayOf(standing.finishedOn) : zone.dayAt(standing.finishedAt)),
    'certificate serial': facts.certificate?.serial ?? null,
    'certificate expiry': facts.certificate
      ? facts.certificate.expiresOn
        ? tellDate(dayOf(facts.certificate.expiresOn))
        : 'no expiry'
      : null,
    organisation: facts.organisation,
  };
}
