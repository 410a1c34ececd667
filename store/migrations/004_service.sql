-- What running the service needs.

create table sessions (
	-- SHA-256 of the token in the person's cookie
	token_hash bytea primary key,
	person_id uuid not null references people,
	created_at timestamptz not null default now(),
	expires_at timestamptz not null
);
create index sessions_of_person on sessions (person_id);

create table sign_in_failures (
	login text not null,
	address text not null,
	at timestamptz not null default now()
);
create index sign_in_failures_recent on sign_in_failures (at);

create table settings (
	key text primary key,
	value jsonb not null,
	changed_at timestamptz not null default now()
);

create table jobs (
	id uuid primary key,
	kind text not null,
	person_id uuid not null references people,
	state text not null check (state in ('running', 'done', 'failed', 'cancelled')),
	progress jsonb not null default '{}',
	result jsonb,
	problem text not null default '',
	created_at timestamptz not null default now(),
	updated_at timestamptz not null default now()
);

-- Answers to writes that a client may send twice.
create table answered (
	person_id uuid not null references people,
	key text not null,
	answer jsonb not null,
	at timestamptz not null default now(),
	primary key (person_id, key)
);

---- create above / drop below ----

drop table answered, jobs, settings, sign_in_failures, sessions;
