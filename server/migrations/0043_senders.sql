-- Up Migration

-- Who the messages of a course come from, and whom their replies reach; null is as the house says.
alter table plans add column sender jsonb;
-- The name that a message came from; null is the house's, of those before. And whom its replies reach: 'trainer', an address, or null as the house says.
alter table messages add column from_name text, add column replies_to text;
alter table conversations add column replies_to text;
