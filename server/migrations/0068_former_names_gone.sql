-- Up Migration

-- What was removed is told apart from what was renamed. Some houses have this already: it is right for them as well.

-- what was called so was removed: its past is told of what it stood below, and a file that names it means another
alter table former_names add column if not exists is_gone boolean not null default false;
update former_names f
set is_gone = true
where exists (
  select from house_changes h
  where h.area = 'structure'
    and h.at = f.until
    and rtrim(h.words, '.') = 'The ' || f.place || ' ' || f.name || ' was removed'
);

drop function if exists forget_day_sums();
create or replace function forget_sums() returns void language sql as $$
  delete from day_sums;
  delete from days_summed;
  delete from asked_sums;
  delete from days_asked;
$$;
create or replace function forget_changed_validity() returns trigger language plpgsql as $$
begin
  if exists (select from added n join removed o on o.id = n.id where n.validity is distinct from o.validity) then
    perform forget_sums();
  end if;
  return null;
end $$;
create or replace function forget_gone_sums() returns trigger language plpgsql as $$
begin
  if exists (select from removed) then
    perform forget_sums();
  end if;
  return null;
end $$;
create or replace function forget_days_of_zone() returns trigger language plpgsql as $$
begin
  perform forget_sums();
  update certificates
  set is_later = not is_later
  where is_later <> (issued_at >= ((issued_on + 1)::timestamp at time zone new.house_zone));
  return null;
end $$;
