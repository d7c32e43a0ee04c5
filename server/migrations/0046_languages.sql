-- what somebody reads messages in, as a tag (BCP 47); null is what the house writes them in
alter table people add column language text check (language ~ '^[a-z]{2,3}$');
-- what messages of the house are written in where they say nothing else
alter table settings add column language text not null default 'en';
