-- addresses on the web that messages lead to, and whether something is there
create table links (
  href text primary key,
  -- unknown: not looked at yet; ok; dead: it says that there is nothing; unreachable: nobody answers just now; inside: not looked at
  state text not null default 'unknown' check (state in ('unknown', 'ok', 'dead', 'unreachable', 'inside')),
  words text,
  -- since when it is so
  since timestamptz,
  checked_at timestamptz,
  next_at timestamptz not null,
  -- when a message that leads there was last looked at or planned by
  named_at timestamptz not null
);
create index links_due on links (next_at);
