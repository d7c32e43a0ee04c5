-- Up Migration

-- who revoked a certificate, and why
alter table certificates
  add column revoked_by text,
  add column revoked_reason text;
