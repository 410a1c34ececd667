-- What rests on what: facts that it is read from, and what lists need of it.

-- The phone ran an update of the package from its data partition.
alter table sightings add updated boolean not null default false;

-- How many packages rest on this one on the model's newest build, and the load
-- that this alone calls for, '' for none.
alter table shipped_by add hard int not null default 0;
alter table shipped_by add soft int not null default 0;
alter table shipped_by add called text not null default '' check (called in ('', 'leaned-on', 'tied-in', 'load-bearing'));
-- The heaviest that any model calls for.
alter table packages add called text not null default '';
-- What a model's counts were read from; other than now, they are read anew.
alter table models add resting_as text not null default '';

-- What trials suggest, joined with what the phone's own words call for: see
-- evidence.Joined.
create function suggested_load(trials text, called text) returns text language sql immutable as $$
	select case
		when called = '' then coalesce(trials, 'unproven')
		when 'load-bearing' in (trials, called) then 'load-bearing'
		when 'tied-in' in (trials, called) then 'tied-in'
		else 'leaned-on'
	end
$$;

---- create above / drop below ----

drop function suggested_load;
alter table models drop resting_as;
alter table packages drop called;
alter table shipped_by drop hard, drop soft, drop called;
alter table sightings drop updated;
