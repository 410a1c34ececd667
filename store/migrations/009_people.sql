-- People: how they come, what they sign in with, what they are told, and a
-- record of who did what that nobody can alter unseen.

alter table sessions add id uuid not null default gen_random_uuid();
alter table sessions add agent text not null default '';
create unique index sessions_by_id on sessions (id);

-- A way in for programs: of the token only the hash is kept.
create table tokens (
	id uuid primary key,
	person_id uuid not null references people,
	name text not null,
	scopes text[] not null,
	token_hash bytea not null unique,
	created_at timestamptz not null default now(),
	expires_at timestamptz not null,
	used_at timestamptz,
	revoked_at timestamptz
);
create index tokens_of_person on tokens (person_id);

create table invitations (
	id uuid primary key,
	token_hash bytea not null unique,
	role text not null check (role in ('technician', 'reviewer', 'maintainer', 'keeper')),
	-- for whom it is meant, for the one who invites
	note text not null,
	created_by uuid not null references people,
	created_at timestamptz not null default now(),
	expires_at timestamptz not null,
	used_by uuid references people,
	revoked_at timestamptz
);

create table notices (
	id uuid primary key,
	person_id uuid not null references people,
	kind text not null,
	change_id uuid references changes,
	by_id uuid references people,
	words text not null,
	at timestamptz not null default now(),
	read_at timestamptz
);
create index notices_of_person on notices (person_id, at desc);
-- The secret in the address of a person's own feed; null until they ask.
alter table people add feed_key_hash bytea unique;

-- Who did what. Each entry's hash is over its own content and the hash of the
-- entry before, so that a change, a gap or a false entry shows. It names
-- people by id alone: one who is removed keeps their place in it.
create table audit (
	seq bigint primary key,
	at timestamptz not null,
	person_id uuid,
	action text not null,
	subject text not null,
	detail jsonb not null,
	hash bytea not null
);
create index audit_by_person on audit (person_id, seq desc);
create index audit_by_action on audit (action, seq desc);
create trigger audit_append_only before update or delete on audit
	for each row execute function refuse_change();
create trigger audit_no_truncate before truncate on audit
	for each statement execute function refuse_change();

-- How lists from elsewhere were read the last time, by the shape of the list.
create table mappings (
	shape text primary key,
	mapping jsonb not null,
	person_id uuid not null references people,
	used_at timestamptz not null default now()
);

---- create above / drop below ----

drop table mappings, audit;
alter table people drop feed_key_hash;
drop table notices, invitations, tokens;
drop index sessions_by_id;
alter table sessions drop agent, drop id;
