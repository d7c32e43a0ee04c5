-- Up Migration

-- why a version of a plan was published, in the words of whoever did it
alter table plan_versions add column note text;
