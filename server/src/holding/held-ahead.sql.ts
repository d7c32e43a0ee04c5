/** What stands, and the departments below those that are held: `with recursive` for whoever asks `heldAhead`. */
export const HELD_NOW = `
standing as materialized (
  select scope, of_id, until_on from holds where ended_at is null
),
held_departments (of_id, id) as (
  select of_id, of_id from standing where scope = 'department'
  union
  select b.of_id, d.id from departments d join held_departments b on d.parent_id = b.id
)
`;

/** Whether a notice `n` that is to come would be kept back as things stand, in SQL as `holdOver` says it in core; beside `HELD_NOW`. */
export const heldAhead = (n: string): string => `
  exists (
    select 1
    from standing h
    where (h.until_on is null or ${n}.on_day < h.until_on)
      and (
        h.scope = 'everything'
        or h.scope = 'course' and h.of_id = ${n}.course_id
        or h.scope = 'plan' and h.of_id = ${n}.course_id and ${n}.step_id not like 'hand-%'
        or h.scope = 'person' and h.of_id in (${n}.person_id, ${n}.recipient_id)
        or h.scope = 'department' and exists (
          select 1
          from held_departments d
          join people p on p.department_id = d.id
          where d.of_id = h.of_id and p.id = ${n}.person_id
        )
      )
  )`;
