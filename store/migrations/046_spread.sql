-- Of packages on many builds it is told which nobody has graded. Which are on many
-- changes seldom, and not with every build that ships one: touched tells of that
-- apart, as spread. What is indexed of packages stays as it is while their builds are
-- counted, so that counting writes to no index.
alter table packages add wide boolean generated always as (builds >= 5) stored;
create index wide_packages on packages (maker_id, first_seen, name) include (id) where wide;
drop index packages_of_maker_by_spread;

create function touch_spread() returns trigger language plpgsql as $$
declare
	other boolean;
begin
	if tg_op = 'INSERT' then
		other := exists (select from written where wide);
	elsif tg_op = 'DELETE' then
		other := exists (select from overwritten where wide);
	else
		other := exists (
			select from written w
			full join overwritten o using (id)
			where (w.wide or o.wide)
				and (w.wide, w.maker_id, w.name, w.first_seen) is distinct from (o.wide, o.maker_id, o.name, o.first_seen));
	end if;
	if other then
		insert into touched as t (what, id) values ('spread', '00000000-0000-0000-0000-000000000000')
		on conflict (xid, what, id) do update set found_at = null where t.found_at is not null;
	end if;
	return null;
end $$;
create trigger spread after insert on packages
	referencing new table as written for each statement execute function touch_spread();
create trigger spread_updated after update on packages
	referencing old table as overwritten new table as written for each statement execute function touch_spread();
create trigger spread_deleted after delete on packages
	referencing old table as overwritten for each statement execute function touch_spread();

-- The newest firmwares, of all that arrived.
create index arrivals_newest on arrivals (at desc);

---- create above / drop below ----

drop index arrivals_newest;
drop trigger spread on packages;
drop trigger spread_updated on packages;
drop trigger spread_deleted on packages;
drop function touch_spread();
alter table packages drop wide; -- and the index with it
create index packages_of_maker_by_spread on packages (maker_id, builds desc, name);
