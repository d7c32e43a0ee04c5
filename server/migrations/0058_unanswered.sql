-- Up Migration

-- After so many days Today says that nobody answered what a line was told of somebody late.
alter table settings add column unanswered_days integer not null default 5;
