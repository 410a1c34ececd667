-- Benches elsewhere, work that waits for them, and what phones tell beyond
-- their packages.

create table benches (
	id uuid primary key,
	name text not null,
	-- SHA-256 of its token; null for the bench of a server itself
	token_hash bytea unique,
	-- what it sees: bench.View, without serial numbers
	view jsonb not null default '{}',
	seen_at timestamptz,
	created_by uuid references people,
	created_at timestamptz not null default now(),
	revoked_at timestamptz
);

alter table jobs add bench_id uuid references benches;
alter table jobs add request jsonb not null default '{}';
alter table jobs drop constraint jobs_state_check;
alter table jobs add constraint jobs_state_check check (state in ('waiting', 'running', 'done', 'failed', 'cancelled'));
create index jobs_under_way on jobs (bench_id, created_at) where state in ('waiting', 'running');

alter table captures add bench_id uuid references benches;
-- roles, keyboards, lock code and the like: core/android.Phone
alter table captures add phone_facts jsonb not null default '{}';

alter table sightings add installer text not null default '';
-- 0 where the phone did not tell
alter table sightings add app_bytes bigint not null default 0;
alter table sightings add data_bytes bigint not null default 0;
alter table sightings add cache_bytes bigint not null default 0;

-- The facts of a sighting say of which package they are: a second check of
-- each of the rows that are written the most would cost a third of the time.
alter table sightings drop constraint sightings_package_id_fkey;

-- What package files said of themselves, read once for each version.
create table package_files (
	package_id uuid not null references packages,
	version_code bigint not null,
	signer text not null,
	labels jsonb not null,
	icon bytea,
	icon_type text not null default '',
	problem text not null default '',
	read_at timestamptz not null default now(),
	primary key (package_id, version_code, signer)
);

-- A name that a package file gave stays beside those that people gave.
alter table labels add from_file boolean not null default false;

---- create above / drop below ----

alter table labels drop from_file;
drop table package_files;
alter table sightings add foreign key (package_id) references packages;
alter table sightings drop installer, drop app_bytes, drop data_bytes, drop cache_bytes;
alter table captures drop bench_id, drop phone_facts;
drop index jobs_under_way;
alter table jobs drop bench_id, drop request;
drop table benches;
