-- The ledger can be narrowed down to whom messages came from. Who that is are few names, found one after the other by this index.
create index messages_by_sender on messages (from_name, id);
create index test_letters_by_day on test_letters (sent_at);
