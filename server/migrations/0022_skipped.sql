-- Up Migration

-- what a course skipped, newest first: what is still to come lies before it in every other order
create index notices_skipped on notices (course_id, on_day, at, id) where state = 'skipped';
