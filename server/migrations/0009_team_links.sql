-- Up Migration

alter table people
  -- the key of a manager's own page, for who has no account; made when the first message leads there
  add column team_token text unique;
