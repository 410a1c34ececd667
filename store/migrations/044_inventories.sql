-- Captures of one firmware are alike but for a few packages. One of them holds what
-- it found whole, in inventories; the others are told by where they differ from it.
-- Both are read as one through the view sightings, and of one capture, with sizes,
-- which differ on every phone, through sightings_of.
update schema_version set least = 44;

-- The capture whose inventory this one is told by: itself where it holds one.
alter table captures add inventory_id uuid references captures,
	-- By place; null where the phone told of none.
	add app_bytes bigint[], add data_bytes bigint[], add cache_bytes bigint[];
create table inventories (
	capture_id uuid not null references captures,
	package_id uuid not null,
	-- From one, without gaps.
	place int not null,
	facts_id uuid not null references facts,
	installed boolean not null,
	enabled text not null,
	installer text not null,
	updated boolean not null,
	primary key (capture_id, package_id)
);
create table inventory_differences (
	capture_id uuid not null references captures,
	package_id uuid not null,
	-- As in the inventory; what that has not stands behind it.
	place int not null,
	-- Null where the capture did not find it.
	facts_id uuid references facts,
	installed boolean not null,
	enabled text not null,
	installer text not null,
	updated boolean not null,
	primary key (capture_id, package_id)
);

-- Tells captures by inventories whose sightings stand in unfolded_sightings, a row
-- for each package of each. One of a firmware holds its own; so does one that
-- differs from it in more than a quarter.
create function fold_sightings() returns void language plpgsql as $$
declare
	build uuid;
	holder uuid;
	size int;
begin
	analyze unfolded_sightings;
	for build in select distinct build_id from captures loop
		holder := (select id from captures where build_id = build order by complete desc, taken_at, id limit 1);
		size := (select count(*) from unfolded_sightings where capture_id = holder);
		with compared as (
			select s.capture_id, count(*) as found, count(h.capture_id) as listed,
				count(*) filter (where (s.facts_id, s.installed, s.enabled, s.installer, s.updated)
					= (h.facts_id, h.installed, h.enabled, h.installer, h.updated)) as alike
			from captures c
			join unfolded_sightings s on s.capture_id = c.id
			left join unfolded_sightings h on h.capture_id = holder and h.package_id = s.package_id
			where c.build_id = build
			group by 1)
		update captures c
		set inventory_id = case when 4 * (k.found - k.alike + size - k.listed) <= size then holder else c.id end
		from compared k
		where c.id = k.capture_id;
		update captures set inventory_id = id where build_id = build and inventory_id is null;

		insert into inventories
		select s.capture_id, s.package_id, row_number() over (partition by s.capture_id order by s.package_id),
			s.facts_id, s.installed, s.enabled, s.installer, s.updated
		from captures c
		join unfolded_sightings s on s.capture_id = c.id
		where c.build_id = build and c.inventory_id = c.id;

		insert into inventory_differences
		select s.capture_id, s.package_id,
			coalesce(h.place, size + row_number() over (partition by s.capture_id, h.place is null order by s.package_id)),
			s.facts_id, s.installed, s.enabled, s.installer, s.updated
		from captures c
		join unfolded_sightings s on s.capture_id = c.id
		left join inventories h on h.capture_id = c.inventory_id and h.package_id = s.package_id
		where c.build_id = build and c.inventory_id <> c.id
			and (s.facts_id, s.installed, s.enabled, s.installer, s.updated)
				is distinct from (h.facts_id, h.installed, h.enabled, h.installer, h.updated);
		insert into inventory_differences
		select c.id, h.package_id, h.place, null, false, '', '', false
		from captures c
		join inventories h on h.capture_id = c.inventory_id
		where c.build_id = build and c.inventory_id <> c.id and not exists (
			select from unfolded_sightings s where s.capture_id = c.id and s.package_id = h.package_id);

		update captures c set app_bytes = k.app, data_bytes = k.data, cache_bytes = k.cache
		from (select p.capture_id, array_agg(coalesce(s.app_bytes, 0) order by p.place) as app,
				array_agg(coalesce(s.data_bytes, 0) order by p.place) as data,
				array_agg(coalesce(s.cache_bytes, 0) order by p.place) as cache
			from (select x.id as capture_id, h.package_id, h.place
				from captures x
				join inventories h on h.capture_id = x.inventory_id
				where x.build_id = build
				union all
				select x.id, d.package_id, d.place
				from captures x
				join inventory_differences d on d.capture_id = x.id
				where x.build_id = build and d.place > size) p
			left join unfolded_sightings s on s.capture_id = p.capture_id and s.package_id = p.package_id
			group by 1
			having bool_or(s.app_bytes <> 0 or s.data_bytes <> 0 or s.cache_bytes <> 0)) k
		where c.id = k.capture_id;
	end loop;
end $$;

alter table sightings rename to unfolded_sightings;
select fold_sightings();
drop table unfolded_sightings;
alter table captures alter inventory_id set not null;

create view sightings as
	select c.id as capture_id, h.package_id, h.place, h.facts_id, h.installed, h.enabled, h.installer, h.updated
	from captures c
	join inventories h on h.capture_id = c.inventory_id
	where not exists (
		select from inventory_differences d
		where d.capture_id = c.id and d.package_id = h.package_id)
	union all
	select capture_id, package_id, place, facts_id, installed, enabled, installer, updated
	from inventory_differences
	where facts_id is not null;
-- Of captures that a statement finds a view would be read whole, this one by one.
create function sightings_of(capture uuid) returns table (capture_id uuid, package_id uuid, place int, facts_id uuid,
	installed boolean, enabled text, installer text, updated boolean, app_bytes bigint, data_bytes bigint,
	cache_bytes bigint) language sql stable as $$
	select s.capture_id, s.package_id, s.place, s.facts_id, s.installed, s.enabled, s.installer, s.updated,
		coalesce(z.app, 0), coalesce(z.data, 0), coalesce(z.cache, 0)
	from sightings s
	left join (
		select z.*
		from captures c
		cross join unnest(c.app_bytes, c.data_bytes, c.cache_bytes) with ordinality z (app, data, cache, place)
		where c.id = capture) z on z.place = s.place
	where s.capture_id = capture
$$;

-- Whether a capture that is told by an inventory found a package.
create function found_in(capture uuid, inventory uuid, package uuid) returns boolean language sql stable as $$
	select coalesce(
		(select d.facts_id is not null
			from inventory_differences d
			where d.capture_id = capture and d.package_id = package),
		exists (select from inventories h where h.capture_id = inventory and h.package_id = package))
$$;

---- create above / drop below ----

update schema_version set least = 37;
create table unfolded_sightings as
	select s.capture_id, s.package_id, s.facts_id, s.installed, s.enabled, s.installer, s.app_bytes,
		s.data_bytes, s.cache_bytes, s.updated
	from captures c
	cross join sightings_of(c.id) s;
drop function sightings_of, found_in;
drop view sightings;
alter table unfolded_sightings rename to sightings;
alter table sightings add primary key (capture_id, package_id),
	add foreign key (capture_id) references captures, add foreign key (facts_id) references facts,
	alter facts_id set not null, alter installed set not null, alter enabled set not null,
	alter installer set not null, alter installer set default '', alter updated set not null,
	alter updated set default false, alter app_bytes set not null, alter app_bytes set default 0,
	alter data_bytes set not null, alter data_bytes set default 0, alter cache_bytes set not null,
	alter cache_bytes set default 0;
create index sightings_of_package on sightings (package_id, capture_id);
drop table inventories, inventory_differences;
drop function fold_sightings;
alter table captures drop inventory_id, drop app_bytes, drop data_bytes, drop cache_bytes;
