-- People whom a provider of sign-ins (OpenID Connect) vouches for.
create table identities (
	issuer text not null,
	subject text not null,
	person_id uuid not null references people,
	created_at timestamptz not null default now(),
	used_at timestamptz not null default now(),
	primary key (issuer, subject)
);
create index identities_by_person on identities (person_id);

-- Links by which a person who forgot theirs sets a new password.
create table password_links (
	token_hash bytea primary key,
	person_id uuid not null references people,
	-- null where whoever runs the installation made it
	created_by uuid references people,
	created_at timestamptz not null default now(),
	expires_at timestamptz not null
);
create index password_links_by_person on password_links (person_id);
