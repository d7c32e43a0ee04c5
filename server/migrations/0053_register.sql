-- What people hold that runs out, in the order in which it does.
create index standings_running_out on standings (until, person_id) where until < 'infinity';

-- A PDF is known by its digest: one that was changed is none of ours.
alter table certificates add column pdf_hash bytea generated always as (sha256(pdf)) stored;
create index certificates_by_hash on certificates (pdf_hash) where pdf_hash is not null;
