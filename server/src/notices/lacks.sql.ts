/** Merge fields that a person or a course may lack, with the condition under which they do. */
export const LACKS: Readonly<Record<string, string>> = {
  job: 'p.job is null',
  manager: 'p.manager_id is null',
  'course code': 'c.code is null',
  'course summary': 'c.summary is null',
  trainer: 'c.owner_id is null',
};

/**
 * Planned from `$1` on within two weeks, while the text of its step uses the field `$2`: joined to notices n, people p and
 * courses c. Today counts these, and the ledger shows the same ones.
 */
export const isMissingAhead = (lacks: string, day: string, field: string): string => `
  n.state = 'planned'
  and n.on_day between ${day}::date and ${day}::date + 14
  and ${lacks}
  and (n.course_id, n.step_id) in (
    select l.course_id, s ->> 'id'
    from plans l
    cross join lateral jsonb_array_elements(l.steps) s
    where (s ->> 'message') like '%{' || ${field}::text || '}%'
    union all
    select n.course_id, 'hand-' || h.id
    from hand_letters h
    where h.message::text like '%{' || ${field}::text || '}%'
  )
`;
