-- Up Migration

-- How whoever has a course may ask: by replying to messages alone; on its page, and then whoever takes care reads it; or also so that
-- everybody on the course reads it and may answer.
alter table courses add column asks text not null default 'none' check (asks in ('none', 'trainer', 'course'));

-- What was asked on the page of a course, and who reads it there: its person, or everybody on the course. Null: it began by a message.
alter table conversations
  add column shown_to text check (shown_to in ('person', 'course')),
  -- the unit that was open then, as it was called
  add column at_unit text;
create index conversations_shown on conversations (course_id, last_at desc, id desc) where shown_to = 'course';

alter table conversation_posts
  -- who reads it on the page; null of what came or went by mail alone
  add column shown_to text check (shown_to in ('person', 'course')),
  -- somebody else on the course, who wrote to whoever asked
  add column writer_id bigint references people on delete cascade,
  -- taken off the page by whoever takes care
  add column is_off boolean not null default false;
create index conversation_posts_of_writer on conversation_posts (writer_id) where writer_id is not null;
