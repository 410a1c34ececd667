-- What judging needs beyond trials: sources, attached files, saved filters;
-- and figures that are kept for no more viewpoints than there are.

drop table figures;
-- What the trials of a package come to, seen from a vantage: a build, model or
-- maker, with an Android release or without, or everywhere (all zeros). A
-- target's figures stand at the first of its vantages that has a row
-- (core/evidence.Vantages). Written in the transaction that changes what they
-- rest on, so that they are never stale. A package without trials has no row.
create table figures (
	package_id uuid not null references packages,
	method text not null,
	place uuid not null,
	release text not null,
	ceiling double precision not null,
	floor double precision not null,
	standing text not null,
	phones int not null,
	people int not null,
	harmed_phones int not null,
	suggested text not null,
	-- ticks of the trial strip, nearest firmware first: core/evidence.Strip
	strip text not null,
	primary key (package_id, method, place, release)
);
-- The Ledger of everything reads one vantage of all packages.
create index figures_everywhere on figures (method, package_id) where place = '00000000-0000-0000-0000-000000000000';

alter table settings add revision int not null default 1;

-- What was tried on the phone afterwards, one thing an entry.
alter table trials add tried text[] not null default '{}';
alter table trials add attachments uuid[] not null default '{}';

-- Files that belong to evidence: logs and pictures.
create table attachments (
	id uuid primary key,
	person_id uuid not null references people,
	name text not null,
	type text not null check (type in ('text/plain', 'image/png', 'image/jpeg')),
	content bytea not null,
	-- of the content
	digest bytea not null,
	created_at timestamptz not null default now(),
	-- an edit names it; what none names for a day is thrown away
	used boolean not null default false
);
-- Pictures and logs do not get smaller by compressing them again.
alter table attachments alter content set storage external;
create index attachments_left on attachments (person_id, created_at) where not used;

-- Documents that say something about a package.
create table sources (
	id uuid primary key,
	package_id uuid not null references packages,
	scope_kind text not null,
	scope_id uuid not null,
	title text not null,
	link text not null,
	quote text not null,
	claim text not null,
	attachment_id uuid references attachments,
	person_id uuid not null references people,
	at timestamptz not null default now(),
	change_id uuid not null references changes
);
create index sources_of_package on sources (package_id, at desc);

create table saved_views (
	id uuid primary key,
	person_id uuid not null references people,
	name text not null,
	shared boolean not null,
	-- the part of the Ledger's address that carries the view
	view jsonb not null,
	created_at timestamptz not null default now(),
	unique (person_id, name)
);

-- Which model ships which package, on how many builds: presence in short, for
-- what is asked of packages that ship nearly everywhere.
create table shipped_by (
	model_id uuid not null references models,
	package_id uuid not null references packages,
	builds int not null,
	-- when the newest of these builds was first seen
	newest timestamptz not null,
	primary key (model_id, package_id)
);
insert into shipped_by
	select b.model_id, x.package_id, count(*), max(b.first_seen) from presence x join builds b on b.id = x.build_id group by 1, 2;
create index shipped_by_package on shipped_by (package_id);

-- The same in one row a package, for orders and groups of the Ledger: on how
-- many builds, the newest of them, by how many makers and by which if by one.
alter table packages add builds int not null default 0;
alter table packages add newest_build timestamptz;
alter table packages add makers int not null default 0;
alter table packages add maker_id uuid references makers;
update packages p set builds = k.builds, newest_build = k.newest, makers = k.makers, maker_id = case when k.makers = 1 then k.maker_id end
	from (select s.package_id, sum(s.builds) as builds, max(s.newest) as newest, count(distinct d.maker_id) as makers, (array_agg(d.maker_id))[1] as maker_id
		from shipped_by s join models d on d.id = s.model_id group by 1) k where k.package_id = p.id;

-- First and last seen, by build.
create index sightings_of_package on sightings (package_id, capture_id);

-- What people say that packages do, for search.
create index claims_words on claims using gin ((value #>> '{}') gin_trgm_ops) where field in ('description', 'functions');

-- The few packages whose origin people have corrected.
create index claims_origin on claims (package_id) where field = 'origin';

---- create above / drop below ----

drop index claims_origin, claims_words, sightings_of_package;
alter table packages drop builds, drop newest_build, drop makers, drop maker_id;
drop table shipped_by, saved_views, sources;
alter table trials drop attachments, drop tried;
drop table attachments;
alter table settings drop revision;
