/** The people of a department and of those below it. @param n the number of the value that holds the department, `$1` */
export const inDepartment = (n: string): string => `
  with recursive below (id) as (
    select ${n}::bigint
    union
    select d.id from departments d join below b on d.parent_id = b.id
  )
  select p.id from people p join below b on p.department_id = b.id`;
