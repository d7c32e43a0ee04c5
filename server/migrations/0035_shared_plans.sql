-- Up Migration

-- A course may go by the plan of another one: each version that is published there is published here too. Its own row holds the same
-- steps, so that whoever plans or sends asks nothing of other courses.
alter table plans add column follows bigint references courses;
alter table plans add constraint plans_follow_others check (follows <> course_id);
create index plans_followed on plans (follows) where follows is not null;
