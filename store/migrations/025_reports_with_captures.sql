-- What came along with a report: what the teller's phone has, as a compressed
-- capture file without its serial number, until a reviewer takes it in or
-- puts the report away; and what it is about, for the list.
alter table reports add by_hand boolean not null default false;
alter table reports add capture bytea;
alter table reports add capture_about jsonb;
alter table reports add capture_id uuid references captures;
create index reports_with_captures on reports (at desc) where capture_about is not null;

---- create above / drop below ----

drop index reports_with_captures;
alter table reports drop capture_id;
alter table reports drop capture_about;
alter table reports drop capture;
alter table reports drop by_hand;
