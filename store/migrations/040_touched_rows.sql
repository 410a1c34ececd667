-- Which rows were written to, not only which tables: what is kept of some packages
-- holds while others are written to. id is a package's, or of presence a build's, of
-- shipped_by and builds a model's; all zeros for any. Programs before read what, as
-- ever: for them any row counts.
alter table touched add id uuid not null default '00000000-0000-0000-0000-000000000000';
alter table touched drop constraint touched_pkey;
alter table touched add primary key (xid, what, id);
update schema_version set least = 37;

-- A few rows are named; of more, any counts. A statement that wrote to none leaves
-- nothing. Each function asks once: many statements write one row.
create or replace function touch() returns trigger language plpgsql as $$ begin
	-- After a restore into another cluster transactions come again that stand here.
	insert into touched as t (what) values (tg_table_name)
	on conflict (xid, what, id) do update set found_at = null where t.found_at is not null;
	return null;
end $$;

-- What touch_<name> tells of the rows of a statement, new ones as written, old ones as
-- overwritten: what stands for them. A change of a package's trials is told as stamps,
-- apart from all else; a load as such, too, since which packages have none is counted
-- over all. Of edits only those count that wait for a reviewer: what somebody collects
-- in their tray, which is written most often of all, lets go of nothing that is kept.
create function touching(rows text) returns text language sql as $$
	select 'insert into touched as t (what, id)
		select distinct what, case when n > 100 then ''00000000-0000-0000-0000-000000000000'' else id end
		from (select what, id, count(*) over (partition by what) as n
			from (select distinct what, id from (' || rows || ') r limit 202) r) r
		on conflict (xid, what, id) do update set found_at = null where t.found_at is not null;'
$$;
do $$
declare
	one record;
begin
	for one in
		select *
		from (values
			('by_package_id', 'select tg_table_name::text as what, package_id as id from %s'),
			('by_build_id', 'select tg_table_name::text as what, build_id as id from %s'),
			('by_model_id', 'select tg_table_name::text as what, model_id as id from %s'),
			('packages', 'select tg_table_name::text as what, id from %s'),
			('claims', 'select v.what, c.package_id as id from %s c
				cross join lateral (values (tg_table_name::text), (case c.field when ''load'' then ''loads'' end)) v (what)
				where v.what is not null'),
			('waiting', 'select tg_table_name::text as what, package_id as id from %s where state = ''open''')
		) t (name, rows)
	loop
		execute format($f$
			create or replace function touch_%1$s() returns trigger language plpgsql as $t$
			begin
				-- A statement that may insert or update tells of both, one of them empty.
				if tg_op <> 'DELETE' then
					if not exists (select from written) then
						return null;
					end if;
				end if;
				if tg_op = 'INSERT' then
					%2$s
				elsif tg_op = 'DELETE' then
					%3$s
				else
					%4$s
				end if;
				return null;
			end $t$ $f$, one.name,
			touching(format(one.rows, 'written')),
			touching(format(one.rows, 'overwritten')),
			touching(case one.name when 'packages' then
				'select ''stamps'' as what, w.id
				from written w
				join overwritten o using (id)
				where w.trials_stamp is distinct from o.trials_stamp
				union all
				select ''packages'', id
				from written w
				full join overwritten o using (id)
				where to_jsonb(w) - ''trials_stamp'' is distinct from to_jsonb(o) - ''trials_stamp'''
			else format(one.rows, 'written') || ' union ' || format(one.rows, 'overwritten') end));
	end loop;
end $$;
drop function touching;
-- Each statement of a table tells by a function of what it wrote: new rows as
-- written, old ones as overwritten.
do $$
declare
	one record;
begin
	for one in
		select *
		from (values ('packages', 'touch_packages'), ('claims', 'touch_claims'), ('trials', 'touch_by_package_id'),
			('package_words', 'touch_by_package_id'), ('package_uses', 'touch_by_package_id'),
			('labels', 'touch_by_package_id'),
			('role_holders', 'touch_by_package_id'), ('presence', 'touch_by_build_id'),
			('shipped_by', 'touch_by_model_id'), ('builds', 'touch_by_model_id')) t (written_to, through)
	loop
		execute format('create or replace trigger touch after insert on %I
			referencing new table as written for each statement execute function %I()', one.written_to, one.through);
		execute format('create trigger touch_updated after update on %I
			referencing old table as overwritten new table as written
			for each statement execute function %I()', one.written_to, one.through);
		execute format('create trigger touch_deleted after delete on %I
			referencing old table as overwritten for each statement execute function %I()', one.written_to, one.through);
	end loop;
end $$;
create trigger touch after insert or update or delete on profile_sisters
	for each statement execute function touch();

---- create above / drop below ----

drop trigger touch on profile_sisters;
do $$
declare
	written_to text;
begin
	foreach written_to in array array['packages', 'claims', 'trials', 'package_words', 'package_uses', 'labels',
		'role_holders', 'presence', 'shipped_by', 'builds'] loop
		execute format('drop trigger touch_updated on %I', written_to);
		execute format('drop trigger touch_deleted on %I', written_to);
		if written_to in ('labels', 'role_holders') then
			execute format('drop trigger touch on %I', written_to);
		else
			execute format('create or replace trigger touch after insert or update or delete on %I
				for each statement execute function touch()', written_to);
		end if;
	end loop;
end $$;
truncate touched;
alter table touched drop constraint touched_pkey;
alter table touched drop id;
alter table touched add primary key (xid, what);
create or replace function touch() returns trigger language plpgsql as $$ begin
	insert into touched as t (what) values (tg_table_name)
	on conflict (xid, what) do update set found_at = null where t.found_at is not null;
	return null;
end $$;
create or replace function touch_waiting() returns trigger language plpgsql as $$
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
drop function touch_by_package_id, touch_by_build_id, touch_by_model_id, touch_packages, touch_claims;
