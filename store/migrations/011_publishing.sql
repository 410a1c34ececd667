-- Profiles for several models; two people to publish; withdrawals; keys.

-- Sister models that a profile is for beside its own.
create table profile_sisters (
	profile_id uuid not null references profiles,
	model_id uuid not null references models,
	primary key (profile_id, model_id)
);
create index profile_sisters_by_model on profile_sisters (model_id);

-- A profile that somebody asks to be published, for another person to look at.
create table publications (
	id uuid primary key,
	profile_id uuid not null references profiles,
	-- the profile's revision, and SHA-256 of what it would have published
	revision int not null,
	digest text not null,
	changes text[] not null,
	words text not null,
	state text not null default 'open' check (state in ('open', 'published', 'returned', 'taken-back')),
	asked_by uuid not null references people,
	asked_at timestamptz not null default now(),
	decided_by uuid references people,
	decided_at timestamptz,
	answer text not null default ''
);
create unique index one_open_publication on publications (profile_id) where state = 'open';
create index publications_of_profile on publications (profile_id, asked_at desc);

alter table releases add withdrawn_by uuid references people;
alter table releases add withdrawn_at timestamptz;
alter table releases add asked_by uuid references people;
-- The feed asks for what was published or withdrawn last.
create index releases_by_time on releases (greatest(published_at, withdrawn_at) desc);

alter table signing_keys add made_by uuid references people;
alter table signing_keys add retired_by uuid references people;
alter table signing_keys add retired_why text not null default '';
-- The new key's public half, signed with the one before.
alter table signing_keys add endorsement text not null default '';
alter table signing_keys add endorsed_by text references signing_keys;

-- Which trials speak for a profile's builds.
create index trials_on_build on trials (build_id);

alter table notices add profile_id uuid references profiles;

---- create above / drop below ----

alter table notices drop profile_id;
drop index trials_on_build;
alter table signing_keys drop made_by, drop retired_by, drop retired_why, drop endorsement, drop endorsed_by;
drop index releases_by_time;
alter table releases drop withdrawn_by, drop withdrawn_at, drop asked_by;
drop table publications, profile_sisters;
