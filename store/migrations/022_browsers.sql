-- Whose browser a bench is; null for a computer with an adb server.
alter table benches add person_id uuid references people;
-- Which of their browsers: a number that it has made for itself.
alter table benches add browser uuid;
-- The sign-in for which it lasts: without one its token is worth nothing.
alter table benches add session_hash bytea references sessions on delete set null;
alter table benches add check ((person_id is null) = (browser is null));
create unique index benches_of_browsers on benches (person_id, browser) where revoked_at is null;
-- Which bench has a run that is not at its end.
create index runs_open_on_bench on runs (bench_id) where state in ('going', 'stopped', 'held', 'interrupted');
create index benches_of_sessions on benches (session_hash) where session_hash is not null;

---- create above / drop below ----

drop index runs_open_on_bench;
delete from benches where person_id is not null;
alter table benches drop person_id, drop browser, drop session_hash;
