-- Up Migration

-- What stands around every message: the colour of its buttons, the house's picture above, its postal words below.
alter table settings
  add column frame_color text not null default '#6C2A5E' check (frame_color ~ '^#[0-9A-F]{6}$'),
  add column imprint text,
  add column logo_id bigint references files,
  -- the picture comes with each mail; otherwise mail programs fetch it
  add column logo_embedded boolean not null default true;
alter table files drop constraint files_purpose_check, add constraint files_purpose_check check (purpose in ('house', 'course', 'proof', 'letter', 'logo'));
