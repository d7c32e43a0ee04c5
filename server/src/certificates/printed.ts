import { dayOf, tellDate, type CertificateValues, type Validity } from '@nudrik/core';
import { rows, type Queryable } from '../db/db.ts';

const LIST_PRINTED = `
select
  a.id as assignment_id, p.name as "full name", p.personnel_number as number, p.job, d.name as department, s.name as site, c.title as course,
  c.code as "course code", o.name as trainer, h.organisation, (
    select round(avg(q.best))::integer
    from (
      select max(percent) as best
      from quiz_attempts
      where assignment_id = a.id
        and submitted_at is not null
        and percent is not null
      group by unit_id
    ) q
  ) as score
from assignments a
join people p on p.id = a.person_id
join departments d on d.id = p.department_id
join sites s on s.id = p.site_id
join courses c on c.id = a.course_id
left join people o on o.id = c.owner_id
cross join settings h
where a.id = any($1::bigint[])
`;

/** What a certificate says of its own. */
export interface OwnValues {
  serial: string;
  issuedOn: string;
  expiresOn: string | null;
}

/** What it says of itself, in words. */
export const ownValues = ({ serial, issuedOn, expiresOn }: OwnValues): CertificateValues => ({
  finished: tellDate(dayOf(issuedOn)),
  'certificate expiry': expiresOn === null ? 'no expiry' : tellDate(dayOf(expiresOn)),
  'certificate serial': serial,
});

type PrintedRow = Record<string, string | null> & { assignment_id: string; score: number | string | null };
const valuesOf = ({ assignment_id: _, score, ...row }: PrintedRow): CertificateValues => ({
  ...row,
  score: score === null ? null : `${score} %`,
});

/** What certificates of some assignments print, as things stand: kept with them, so that they never say anything else. */
export async function printedFor(
  db: Queryable,
  list: readonly (OwnValues & { assignmentId: string })[],
): Promise<Map<string, CertificateValues>> {
  const found = await rows<PrintedRow>(db, LIST_PRINTED, [list.map(({ assignmentId }) => assignmentId)]);
  const values = new Map(found.map((row) => [row.assignment_id, valuesOf(row)]));
  return new Map(list.map((one) => [one.assignmentId, { ...values.get(one.assignmentId), ...ownValues(one) }]));
}

/** Somebody whom no roster has: a name in another script, where no one has one. */
export const MADE_UP = { 'full name': 'Ελένη Παπαδοπούλου', job: 'Deckhand', department: 'Deck', site: 'Harbour', number: '10432' };

const LIST_SAMPLE = `
select w.ord, p.name as "full name", p.personnel_number as number, p.job, d.name as department, s.name as site
from unnest($1::bigint[]) with ordinality w (id, ord)
join people p on p.id = w.id
join departments d on d.id = p.department_id
join sites s on s.id = p.site_id
`;
const GET_SAMPLE_COURSE = `
select c.title as course, c.code as "course code", o.name as trainer, h.organisation, c.validity,
  exists (select from sections s join units u on u.section_id = s.id where s.course_id = c.id and u.kind = 'quiz') as has_quiz
from settings h
left join courses c on c.id = $1::bigint
left join people o on o.id = c.owner_id
`;

export interface Sample {
  course: string;
  courseValues: CertificateValues;
  validity: Validity | null;
}

/** A course as a look at a design takes it; one that is made up where there is none. */
export async function sampleCourse(db: Queryable, courseId: string | null): Promise<Sample> {
  const [row] = await rows<Record<string, string | null> & { validity: Sample['validity']; has_quiz: boolean }>(db, GET_SAMPLE_COURSE, [
    courseId,
  ]);
  const { validity, has_quiz, ...values } = row!;
  const course = values['course'] ?? 'A Course of Yours';
  return {
    course,
    courseValues: {
      ...values,
      course,
      trainer: values['course'] ? (values['trainer'] ?? null) : 'Its Owner',
      score: has_quiz || !values['course'] ? '92 %' : null,
    },
    validity: values['course'] ? validity : { count: 12, unit: 'months', toMonthEnd: false },
  };
}

/** People as a look at a design takes them; null is somebody made up. */
export async function samplePeople(db: Queryable, ids: readonly (string | null)[]): Promise<CertificateValues[]> {
  const found = await rows<Record<string, string | null> & { ord: string }>(db, LIST_SAMPLE, [ids.map((id) => id ?? '0')]);
  const byOrder = new Map(found.map(({ ord, ...values }) => [Number(ord), values]));
  return ids.map((_, i) => byOrder.get(i + 1) ?? MADE_UP); // prettier-ignore
}
