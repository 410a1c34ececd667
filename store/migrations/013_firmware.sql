-- Firmware over time: what arrived, whether releases still hold, coverage;
-- and what people do with their Desks.

-- What a build brings against the one before it in its edition: core/catalog
-- .Arrival. Made from captures alone.
create table arrivals (
	build_id uuid primary key references builds,
	since_id uuid references builds,
	-- when the first phone with it was captured
	at timestamptz not null,
	summary jsonb not null,
	-- what it was made from; other than now, it is made anew
	made_from text not null
);
create index arrivals_by_time on arrivals (at desc);

-- Packages that were off a phone and that it had again at a capture, with an
-- update between.
create table came_back (
	capture_id uuid not null references captures,
	package_id uuid not null references packages,
	build_id uuid not null references builds,
	-- the keyed hash of the phone's serial number
	phone text not null,
	primary key (capture_id, package_id)
);
create index came_back_on_build on came_back (build_id, package_id);
-- The same phone at another time.
create index captures_of_phone on captures (phone, taken_at desc) where phone <> '';

-- How each current release stands on each captured build of its models:
-- core/profile.Hold, but for what was tried, which trials tell.
create table holds (
	release_id uuid not null references releases,
	build_id uuid not null references builds,
	state text not null,
	claimed boolean not null,
	ships int not null,
	findings jsonb not null,
	-- a digest of what would stop, '' where nothing would; since when
	stops text not null default '',
	stopped_at timestamptz,
	made_from text not null,
	primary key (release_id, build_id)
);
create index holds_of_build on holds (build_id);
create index holds_that_stop on holds (release_id) where stops <> '';

-- By which method a release takes each package off.
alter table release_packages add method text;
update release_packages x set method = s ->> 'method'
	from releases r, jsonb_array_elements(convert_from(r.document, 'utf8')::jsonb -> 'steps') s, packages p
	where r.id = x.release_id and p.id = x.package_id and s ->> 'package' = p.name and s ->> 'kind' = 'remove';
-- Steps that put something in had been counted among what goes.
delete from release_packages where method is null;

-- Somebody's word that a release may run where it would stop something: it
-- stands for exactly what would stop then.
create table lifts (
	release_id uuid not null references releases,
	build_id uuid not null references builds,
	stops text not null,
	person_id uuid not null references people,
	at timestamptz not null default now(),
	why text not null,
	primary key (release_id, build_id, stops)
);

-- What would prove a draft on a build: packages that phones of it should go
-- without.
create table wanted_trials (
	id uuid primary key,
	profile_id uuid not null references profiles,
	build_id uuid not null references builds,
	method text not null,
	-- the ceiling that is wanted of each
	ceiling double precision not null,
	packages text[] not null,
	asked_by uuid not null references people,
	asked_at timestamptz not null default now(),
	closed_at timestamptz,
	closed_by uuid references people
);
create unique index one_open_wish on wanted_trials (profile_id, build_id) where closed_at is null;
create index wanted_trials_open on wanted_trials (build_id) where closed_at is null;

-- What somebody wants to hear of: a package, a model, or a profile with its
-- releases.
create table follows (
	person_id uuid not null references people,
	kind text not null check (kind in ('package', 'model', 'profile')),
	subject_id uuid not null,
	at timestamptz not null default now(),
	primary key (person_id, kind, subject_id)
);
create index follows_of_subject on follows (kind, subject_id);

alter table notices add package_id uuid references packages;
alter table notices add build_id uuid references builds;
create index notices_unread on notices (person_id, at desc) where read_at is null;

-- Lines that a person has put off; until infinity, where they are done with it.
create table desk_put_off (
	person_id uuid not null references people,
	line text not null,
	until timestamptz not null,
	at timestamptz not null default now(),
	primary key (person_id, line)
);
-- Lines that somebody has handed to somebody else.
create table desk_handed (
	line text not null,
	to_id uuid not null references people,
	from_id uuid not null references people,
	words text not null,
	at timestamptz not null default now(),
	primary key (line, to_id)
);
create index desk_handed_to on desk_handed (to_id);

-- What is known of each build, counted.
create table build_cover (
	build_id uuid primary key references builds,
	packages int not null,
	-- of these, how many have a load that applies there, how many were taken
	-- off phones of it, and how many of what current releases take off were not
	graded int not null,
	tried int not null,
	wanted int not null,
	phones int not null,
	people int not null,
	captured_at timestamptz
);
-- True where captures, loads or trials have moved since it was counted.
alter table models add cover_stale boolean not null default true;
create index models_to_count on models (id) where cover_stale;

create index claims_of_loads on claims (package_id) where field = 'load' and value is not null;
create index figures_contested on figures (place, package_id) where standing = 'contested';
create index changes_of_author_open on changes (author_id) where state in ('sent', 'returned');
create index run_checks_open on run_checks (run_id) where answer = '';

---- create above / drop below ----

drop index run_checks_open, changes_of_author_open, figures_contested, claims_of_loads, models_to_count;
alter table models drop cover_stale;
drop table build_cover, desk_handed, desk_put_off;
drop index notices_unread;
alter table notices drop package_id, drop build_id;
drop table follows, wanted_trials, lifts;
alter table release_packages drop method;
drop table holds;
drop index captures_of_phone;
drop table came_back, arrivals;
