-- Measurements of phones, in runs and without, and what packages use by them.
create table measurements (
	id uuid primary key,
	-- the keyed hash of the phone's serial number
	phone text not null,
	build_id uuid not null references builds,
	person_id uuid not null references people,
	-- the step of a run that measured; null where nothing was run
	run_id uuid references runs,
	number int,
	at timestamptz not null default now(),
	-- core/android.Measurement without its uses
	measured jsonb not null,
	unique (run_id, number)
);
create index measurements_by_phone on measurements (phone, at desc);
create index measurements_by_build on measurements (build_id, at desc);
-- gain.Use of each package of the catalogue that a measurement tells of
create table measured_uses (
	measurement_id uuid not null references measurements,
	package_id uuid not null references packages,
	memory float8 not null,
	processes float8 not null,
	services float8 not null,
	jobs float8 not null,
	wakeups float8 not null,
	processor float8 not null,
	traffic float8 not null,
	room float8 not null,
	primary key (measurement_id, package_id)
);
-- the median of it over the phones of a model or a build; made when one of them is
-- measured
create table package_uses (
	package_id uuid not null references packages,
	-- a model or one of its builds
	place uuid not null,
	of_model boolean not null,
	phones int not null,
	memory float8 not null,
	processes float8 not null,
	services float8 not null,
	jobs float8 not null,
	wakeups float8 not null,
	processor float8 not null,
	traffic float8 not null,
	room float8 not null,
	-- of memory, the smallest and the largest phone's
	least float8 not null,
	most float8 not null,
	primary key (package_id, place)
);
create index package_uses_of_models on package_uses (package_id, memory desc) where of_model;
create index package_uses_by_place on package_uses (place, memory desc);

-- whether a release brought its phones anything; made when one of them is measured
create table release_gains (
	release_id uuid primary key references releases,
	phones int not null,
	-- too-few, gain, none
	verdict text not null,
	since timestamptz not null default now()
);
-- packages that use much more on a build than on the one before it; made with
-- package_uses
create table uses_risen (
	build_id uuid not null references builds,
	package_id uuid not null references packages,
	from_build uuid not null references builds,
	-- memory or wakeups
	quantity text not null,
	before float8 not null,
	after float8 not null,
	phones int not null,
	since timestamptz not null default now(),
	primary key (build_id, package_id, quantity)
);

-- What earlier programs did not ask is missing there, and not nothing.
insert into measurements (id, phone, build_id, person_id, run_id, number, at, measured)
	select gen_random_uuid(), r.phone, r.build_id, r.person_id, m.run_id, m.number, m.at,
		(m.measured - 'uses') || jsonb_build_object('missing', m.measured -> 'missing' || '[
			"logcat -b events -d -s boot_progress_enable_screen", "df -k /system", "dumpsys jobscheduler",
			"dumpsys batterystats -c", "dumpsys diskstats", "am start -W"]'::jsonb)
	from run_measurements m join runs r on r.id = m.run_id;
insert into measured_uses
	select m.id, p.id, (u.value ->> 'memory')::float8, (u.value ->> 'processes')::float8,
		(u.value ->> 'services')::float8, 0,
		case when (o.measured ->> 'uptime')::float8 >= 60
			then (u.value ->> 'wakeups')::float8 * 3600 / (o.measured ->> 'uptime')::float8 else 0 end, 0, 0, 0
	from run_measurements o
	join measurements m on m.run_id = o.run_id and m.number = o.number
	cross join jsonb_each(o.measured -> 'uses') u
	join packages p on p.name = u.key;
drop table run_measurements;

---- create above / drop below ----

create table run_measurements (
	run_id uuid not null references runs,
	number int not null,
	measured jsonb not null,
	at timestamptz not null default now(),
	primary key (run_id, number)
);
insert into run_measurements
	select run_id, number, measured || '{"uses": {}}', at from measurements where run_id is not null;
drop table uses_risen;
drop table release_gains;
drop table package_uses;
drop table measured_uses;
drop table measurements;
