-- Of edits only those count that wait for a reviewer: what somebody collects in
-- their tray, which is written most often of all, lets go of nothing that is kept.
create function touch_waiting() returns trigger language plpgsql as $$
declare
	waits boolean := false;
begin
	if tg_op <> 'DELETE' then
		waits := exists (select from written where state = 'open');
	end if;
	if not waits and tg_op <> 'INSERT' then
		waits := exists (select from overwritten where state = 'open');
	end if;
	if waits then
		insert into touched as t (what) values (tg_table_name)
		on conflict (xid, what) do update set found_at = null where t.found_at is not null;
	end if;
	return null;
end $$;
create or replace trigger touch after insert on edits
	referencing new table as written for each statement execute function touch_waiting();
create trigger touch_updated after update on edits
	referencing old table as overwritten new table as written for each statement execute function touch_waiting();
create trigger touch_deleted after delete on edits
	referencing old table as overwritten for each statement execute function touch_waiting();
