-- Up Migration

-- A personal link is a token and a signature by the key of the house, which is not kept here: whoever reads the database has
-- no link. Of links that were handed out before, the token is their first half; of the whole the digest is kept.
alter table assignments disable trigger user;
alter table assignments add column former_link bytea unique;
update assignments
set former_link = sha256(convert_to(token, 'UTF8')), token = left(token, 16)
where token ~ '^[A-Za-z0-9_-]{32}$';
alter table assignments enable trigger user;

alter table people disable trigger user;
alter table people add column former_team_link bytea unique;
update people
set former_team_link = sha256(convert_to(team_token, 'UTF8')), team_token = left(team_token, 16)
where team_token ~ '^[A-Za-z0-9_-]{32}$';
alter table people enable trigger user;

-- letters have the token alone; its signature is added when they are handed over
update messages
set
  html = regexp_replace(html, '(/(?:go|team)/[A-Za-z0-9_-]{16})[A-Za-z0-9_-]{16}(?![A-Za-z0-9_-])', '\1', 'g'),
  body = regexp_replace(body, '(/(?:go|team)/[A-Za-z0-9_-]{16})[A-Za-z0-9_-]{16}(?![A-Za-z0-9_-])', '\1', 'g')
where html ~ '/(?:go|team)/[A-Za-z0-9_-]{32}(?![A-Za-z0-9_-])'
   or body ~ '/(?:go|team)/[A-Za-z0-9_-]{32}(?![A-Za-z0-9_-])';

-- which key that is: a digest of it
alter table settings add column key_print text;
