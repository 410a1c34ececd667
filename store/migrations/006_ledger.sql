-- Who holds a role on some phone, for the Ledger's filter.
create index captures_by_facts on captures using gin (phone_facts jsonb_path_ops);

---- create above / drop below ----

drop index captures_by_facts;
