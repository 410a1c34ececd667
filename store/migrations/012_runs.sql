-- Runs: a release or a draft applied to one phone, journal first; backups.

create table runs (
	id uuid primary key,
	number bigint generated always as identity unique,
	profile_id uuid not null references profiles,
	-- null for a draft
	release_id uuid references releases,
	-- what was run: a release document
	document jsonb not null,
	build_id uuid not null references builds,
	-- what it was rehearsed against
	capture_id uuid not null references captures,
	-- the keyed hash of the phone's serial number, and what its model is called
	phone text not null,
	phone_name text not null,
	form text not null,
	bench_id uuid not null references benches,
	person_id uuid not null references people,
	choices jsonb not null,
	state text not null check (state in ('going', 'stopped', 'held', 'interrupted', 'finished', 'put-back')),
	-- why it is held or interrupted
	why text not null default '',
	-- putting back leaves what waits alone
	putting_back boolean not null default false,
	-- counts up with every start; a bench of an earlier one is not listened to
	attempt int not null default 1,
	stop_asked boolean not null default false,
	-- until when its bench need not be heard of again
	lease timestamptz not null default now(),
	-- whether the phone was looked at since the run was interrupted
	settled boolean not null default true,
	-- counts changes, for whoever follows it
	seq bigint not null default 0,
	-- core/run.Seen at the start, and the last one
	before jsonb,
	now jsonb,
	now_at timestamptz,
	restarted boolean not null default false,
	-- packages that returned by themselves: persistence by name
	back jsonb not null default '{}',
	-- core/run.Hunt, one for each check that was narrowed down
	hunts jsonb not null default '[]',
	started_at timestamptz not null default now(),
	ended_at timestamptz,
	-- when the person is to be reminded of the check list; null where they were
	remind_at timestamptz,
	drafted_at timestamptz
);
-- Two people can't run on one phone at once.
create unique index one_run_per_phone on runs (phone) where state = 'going';
create index runs_of_phone on runs (phone, started_at desc);
create index runs_of_release on runs (release_id, started_at desc);
create index runs_of_profile on runs (profile_id, started_at desc);
create index runs_by_time on runs (started_at desc, id desc);
create index runs_under_way on runs (id) where state = 'going' or not settled;
create index runs_to_remind on runs (remind_at) where remind_at is not null;

create table run_steps (
	run_id uuid not null references runs,
	number int not null,
	-- core/run.Step
	step jsonb not null,
	kind text not null,
	package text not null default '',
	state text not null default 'waiting'
		check (state in ('waiting', 'sent', 'done', 'already', 'absent', 'refused', 'failed', 'skipped', 'unknown')),
	words text not null default '',
	-- what it changes: see core/run.Journal
	before text not null default '',
	attempt int not null default 0,
	sent_at timestamptz,
	ended_at timestamptz,
	-- for how long the phone had it, in milliseconds
	took int not null default 0,
	-- the run's seq when it changed last
	seq bigint not null default 0,
	primary key (run_id, number)
);
create index run_steps_changed on run_steps (run_id, seq);
create index run_steps_open on run_steps (run_id, number) where state in ('waiting', 'sent', 'unknown');

create table run_checks (
	run_id uuid not null references runs,
	number int not null,
	text text not null,
	function text not null default '',
	answer text not null default '' check (answer in ('', 'works', 'broken', 'not-tried')),
	note text not null default '',
	attachments uuid[] not null default '{}',
	answered_by uuid references people,
	answered_at timestamptz,
	primary key (run_id, number)
);

create table backups (
	id uuid primary key,
	phone text not null,
	phone_name text not null,
	bench_id uuid not null references benches,
	person_id uuid not null references people,
	-- what was to be saved
	packages text[] not null,
	settings boolean not null,
	-- bench.BackupEnd of the last attempt
	result jsonb not null default '{}',
	state text not null default 'going' check (state in ('going', 'whole', 'partly')),
	made_at timestamptz not null default now(),
	-- when every file was last found to be as it was saved
	verified_at timestamptz
);
create index backups_of_phone on backups (phone, made_at desc);

-- Which runs speak for a release: those that did at least what it does. Kept
-- when a run ends and when its checks are answered.
create table release_runs (
	release_id uuid not null references releases,
	run_id uuid not null references runs,
	phone text not null,
	checked boolean not null,
	harmed boolean not null,
	primary key (release_id, run_id)
);
create index release_runs_of_run on release_runs (run_id);

-- What was drafted from a run already.
create index edits_of_run on edits ((value ->> 'run')) where field = 'trial' and value ? 'run';

alter table trials add run_id uuid references runs;
create index trials_of_run on trials (run_id) where run_id is not null;
alter table notices add run_id uuid references runs;

---- create above / drop below ----

alter table notices drop run_id;
alter table trials drop run_id;
drop index edits_of_run;
drop table release_runs, backups, run_checks, run_steps, runs;
