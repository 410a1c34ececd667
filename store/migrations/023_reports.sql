-- What strangers tell of a release, with no account. Nothing of who they are is
-- kept: they find it again by a token, of which this has a hash.
create table reports (
	id uuid primary key,
	token_hash bytea not null unique,
	at timestamptz not null default now(),
	release_id uuid references releases,
	-- The firmware as told; build_id where it is known here.
	fingerprint text not null,
	build_id uuid references builds,
	-- A hash by which one phone counts once; '' where the teller has none.
	phone text not null,
	outcome text not null check (outcome in ('worked', 'missing', 'broken', 'would-not-go', 'came-back', 'not-listed')),
	packages text[] not null,
	function text not null,
	since date,
	words text not null,
	log text not null,
	state text not null default 'waiting' check (state in ('waiting', 'asked', 'taken', 'put-away')),
	-- Who decided, and for the teller why.
	decided_by uuid references people,
	decided_at timestamptz,
	reason text not null default ''
);
create index reports_waiting on reports (at desc) where state in ('waiting', 'asked');
create index reports_of_release on reports (release_id, at desc);

-- What was asked back, and what the teller added later; person_id is null for
-- the teller.
create table report_notes (
	id uuid primary key,
	report_id uuid not null references reports on delete cascade,
	at timestamptz not null default now(),
	person_id uuid references people,
	words text not null
);
create index report_notes_of_report on report_notes (report_id, at);

-- A trial that was made of what a stranger told counts less.
alter table trials add outside boolean not null default false;

---- create above / drop below ----

alter table trials drop outside;
drop table report_notes;
drop table reports;
