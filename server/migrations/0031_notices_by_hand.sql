-- Up Migration

-- what somebody did to one notice by hand: skipped it, sent it before its moment, or took that back; who, when, why
alter table notices add column by_hand jsonb;
