-- pictures that stand in the texts of messages
alter table files drop constraint files_purpose_check,
  add constraint files_purpose_check check (purpose in ('house', 'course', 'proof', 'letter', 'logo', 'handout', 'picture'));
