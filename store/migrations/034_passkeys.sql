-- Second factors: what a person's device keeps, and what was asked of it.
create table passkeys (
	-- as the device names it
	id bytea primary key,
	person_id uuid not null references people,
	name text not null,
	-- webauthn.Credential of github.com/go-webauthn/webauthn: the public key, how
	-- often it was used, and what is known of the device
	credential jsonb not null,
	created_at timestamptz not null default now(),
	used_at timestamptz
);
create index passkeys_by_person on passkeys (person_id, created_at);
-- What devices were asked to sign. Each is good once.
create table challenges (
	id uuid primary key,
	person_id uuid not null references people,
	purpose text not null check (purpose in ('make', 'confirm')),
	-- webauthn.SessionData
	data jsonb not null,
	expires_at timestamptz not null
);
create index challenges_by_person on challenges (person_id);
-- When a passkey was shown in a session.
alter table sessions add confirmed_at timestamptz;
