/** Merge fields that a person or a course may lack, with the condition under which they do. */
export const LACKS: Readonly<Record<string, string>> = {
  job: 'p.job is null',
  manager: 'p.manager_id is null',
  'course code': 'c.code is null',
  'course summary': 'c.summary is null',
  trainer: 'c.owner_id is null',
};

/**
 * Whether a text (jsonb) prints a field with nothing to stand in for it. What stands in a part for some readers only is not
 * looked at: whether somebody reads that is a condition, which only the planner can ask.
 */
export const saysField = (text: string, field: string): string => `(
  concat(${text} ->> 'subject', ${text} ->> 'button', ${text} ->> 'plain', case jsonb_typeof(${text} -> 'body') when 'string' then ${text} ->> 'body' end)
    like '%{' || ${field}::text || '}%'
  or jsonb_path_query_array(${text} -> 'body', '$.content[*] ? (@.type != "part")')::text like '%"name": "' || ${field}::text || '", "fallback": null%'
)`;

/** The language that the recipient of a notice n reads in; empty where that is not said. */
const READS = "coalesce((select r.language from people r where r.id = n.recipient_id), '')";
const MESSAGES = "from plans l cross join lateral jsonb_array_elements(l.steps) s (step) cross join lateral (select s.step -> 'message' as m) w";
const TEXTS = "cross join lateral jsonb_each(coalesce(w.m -> 'texts', '{}')) t (language, text)";

/**
 * Planned from `$1` on within two weeks, while the text of its step, in its reader's language, uses the field `$2`: joined to
 * notices n, people p and courses c. Today counts these, and the ledger shows the same ones.
 */
export const isMissingAhead = (lacks: string, day: string, field: string): string => `
  n.state = 'planned'
  and n.on_day between ${day}::date and ${day}::date + 14
  and ${lacks}
  and (
    (n.course_id, n.step_id) in (
      select l.course_id, s.step ->> 'id' ${MESSAGES} where ${saysField('w.m', field)}
      union all
      select n.course_id, 'hand-' || h.id
      from hand_letters h
      where ${saysField('h.message', field)}
    )
    and (n.course_id, n.step_id, ${READS}) not in (select l.course_id, s.step ->> 'id', t.language ${MESSAGES} ${TEXTS})
    or (n.course_id, n.step_id, ${READS}) in (
      select l.course_id, s.step ->> 'id', t.language ${MESSAGES} ${TEXTS} where ${saysField('t.text', field)}
    )
  )
`;
