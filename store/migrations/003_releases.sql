-- Profiles, what was published of them, and with which key.

create table profiles (
	id uuid primary key,
	model_id uuid not null references models,
	slug text not null,
	name text not null,
	purpose text not null,
	rules jsonb not null,
	revision int not null default 1,
	changed_by uuid not null references people,
	changed_at timestamptz not null default now(),
	unique (model_id, slug)
);

create table signing_keys (
	-- minisign's key id, in hex
	id text primary key,
	public_key text not null,
	-- the private key, encrypted under the installation's secret
	sealed bytea not null,
	created_at timestamptz not null default now(),
	retired_at timestamptz
);
create unique index one_key_in_use on signing_keys ((true)) where retired_at is null;

create table releases (
	id uuid primary key,
	profile_id uuid not null references profiles,
	number int not null,
	-- the signed bytes: a release document in RFC 8785 form
	document bytea not null,
	sha256 text not null,
	signature text not null,
	key_id text not null references signing_keys,
	state text not null default 'current' check (state in ('current', 'replaced', 'withdrawn')),
	withdrawn_reason text not null default '',
	published_by uuid not null references people,
	published_at timestamptz not null default now(),
	unique (profile_id, number)
);
create unique index one_current_release on releases (profile_id) where state = 'current';

create function refuse_release_change() returns trigger language plpgsql as $$
begin
	if tg_op = 'DELETE'
		or (new.id, new.profile_id, new.number, new.document, new.sha256, new.signature, new.key_id, new.published_by, new.published_at)
		is distinct from (old.id, old.profile_id, old.number, old.document, old.sha256, old.signature, old.key_id, old.published_by, old.published_at) then
		raise exception 'a release can''t be changed once it is published' using errcode = 'restrict_violation';
	end if;
	return new;
end $$;
create trigger releases_unchangeable before update or delete on releases
	for each row execute function refuse_release_change();

---- create above / drop below ----

drop table releases, signing_keys, profiles;
drop function refuse_release_change;
