-- Up Migration

-- Whom replies reach: the house's one address, or the trainer of the course that a message is about.
alter table settings add column replies_to_trainer boolean not null default false;
