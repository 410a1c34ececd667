-- Makers, models, builds and what phones of them said they have.
create extension if not exists pg_trgm;

create table makers (
	id uuid primary key,
	slug text not null unique,
	name text not null,
	manufacturer text not null
);
create unique index makers_manufacturer on makers (lower(manufacturer));

create table models (
	id uuid primary key,
	maker_id uuid not null references makers,
	slug text not null,
	name text not null,
	device text not null,
	form text not null check (form in ('phone', 'tablet', 'television', 'watch', 'car', 'other')),
	unique (maker_id, slug),
	unique (maker_id, device)
);

create table builds (
	id uuid primary key,
	model_id uuid not null references models,
	fingerprint text not null unique,
	version text not null,
	release text not null,
	sdk int not null,
	security_patch text not null,
	display_id text not null,
	region text not null,
	carrier text not null,
	first_seen timestamptz not null default now()
);
-- Newest first within a model: the first one stands for the model.
create index builds_by_age on builds (model_id, security_patch desc, version desc, carrier, id);

create table packages (
	id uuid primary key,
	name text not null unique,
	-- Who probably put it there, and why Roster thinks so; a claim stands above it.
	origin text not null,
	origin_reason text not null,
	first_seen timestamptz not null default now()
);
create index packages_name_search on packages using gin (name gin_trgm_ops);

-- What a package is on some phones: the same facts are kept once. The id is
-- the first half of a SHA-256 over them, so that no look-up is needed.
create table facts (
	id uuid primary key,
	package_id uuid not null references packages,
	version_code bigint not null,
	version_name text not null,
	path text not null,
	partition text not null,
	system boolean not null,
	privileged boolean not null,
	persistent boolean not null,
	shared_user text not null,
	starts_at_boot boolean not null,
	-- permissions, libraries, overlay target: core/android.Package
	details jsonb not null
);
create index facts_of_package on facts (package_id);

create table people (
	id uuid primary key,
	login text not null unique,
	name text not null,
	role text not null check (role in ('technician', 'reviewer', 'maintainer', 'keeper')),
	password_hash text not null,
	created_at timestamptz not null default now(),
	removed_at timestamptz
);

create table captures (
	id uuid primary key,
	build_id uuid not null references builds,
	-- keyed hash of the serial number, '' where the phone told none
	phone text not null,
	person_id uuid not null references people,
	source text not null check (source in ('bench', 'file')),
	taken_at timestamptz not null default now(),
	complete boolean not null,
	missing text not null,
	reports jsonb not null,
	-- SHA-256 over build, phone and sightings: the same capture twice is one
	digest bytea not null unique
);
create index captures_of_build on captures (build_id, taken_at desc);

create table sightings (
	capture_id uuid not null references captures,
	package_id uuid not null references packages,
	facts_id uuid not null references facts,
	installed boolean not null,
	enabled text not null,
	primary key (capture_id, package_id)
);

-- Which build ships which package: what the presence strips show.
create table presence (
	build_id uuid not null references builds,
	package_id uuid not null references packages,
	switched_off boolean not null,
	facts_id uuid not null references facts,
	primary key (build_id, package_id)
);
create index presence_of_package on presence (package_id, build_id);

---- create above / drop below ----

drop table presence, sightings, captures, people, facts, packages, builds, models, makers;
