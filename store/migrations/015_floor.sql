-- What holds when many ask at once, and when somebody asks for what there is
-- none of.

-- What a key stands for, so that it does not stand for two things.
alter table answered add content text not null default '';

-- An id in a text from outside, null where it is none.
create function uuid_or_null(text) returns uuid
	language sql immutable parallel safe
	as $$ select case when $1 ~ '^[0-9a-f]{8}-([0-9a-f]{4}-){3}[0-9a-f]{12}$' then $1::uuid end $$;

-- Who has held which role on some phone, of all captures.
create table role_holders (
	role text not null,
	package_id uuid not null references packages,
	primary key (role, package_id)
);
insert into role_holders
	select distinct r ->> 'name', p.id
	from captures k, jsonb_array_elements(coalesce(k.phone_facts -> 'roles', '[]')) r, jsonb_array_elements_text(coalesce(r -> 'holders', '[]')) h
	join packages p on p.name = h;

-- When somebody last did something in a session, to a few minutes.
alter table sessions add seen_at timestamptz not null default now();

-- Tries to sign in, as somebody from somewhere; as somebody from anywhere where
-- place is '', from somewhere as anybody where login is. next_at is when the
-- next one may be made, told_at when the record was told that it has to wait.
drop table sign_in_failures;
create table sign_in_tries (
	login text not null,
	place text not null,
	tries int not null default 0,
	at timestamptz not null default now(),
	next_at timestamptz not null default now(),
	told_at timestamptz,
	primary key (login, place)
);
create index sign_in_tries_by_age on sign_in_tries (at);

-- Where people have signed in before: what is tried there slows down nobody
-- else, and nobody else slows them down.
create table sign_in_places (
	person_id uuid not null references people,
	place text not null,
	at timestamptz not null default now(),
	primary key (person_id, place)
);

-- Slugs stand in addresses and become names of folders.
alter table makers add constraint makers_slug_form check (slug ~ '^[a-z0-9]+(-[a-z0-9]+)*$') not valid;
alter table models add constraint models_slug_form check (slug ~ '^[a-z0-9]+(-[a-z0-9]+)*$') not valid;
alter table profiles add constraint profiles_slug_form check (slug ~ '^[a-z0-9]+(-[a-z0-9]+)*$') not valid;

-- A text that sorts as versions do: 15.0.10 after 15.0.9. Before each number
-- stands how many digits it has.
create function version_key(text) returns text
	language sql immutable strict parallel safe
	as $$
		select coalesce(string_agg(case when m[1] is null then m[2] else lpad(length(ltrim(m[1], '0'))::text, 3, '0') || ltrim(m[1], '0') end, '' order by n), '')
		from regexp_matches($1, '([0-9]+)|([^0-9]+)', 'g') with ordinality x (m, n)
	$$;
alter table builds add version_key text collate "C" generated always as (version_key(version)) stored;
drop index builds_by_age;
create index builds_by_age on builds (model_id, security_patch desc, version_key desc, carrier, id);

-- When what is written down was done: now, unless the transaction says that it
-- is written down later.
create function moment() returns timestamptz
	language sql stable parallel safe
	as $$ select coalesce(nullif(current_setting('roster.moment', true), '')::timestamptz, now()) $$;
alter table people alter created_at set default moment();
alter table changes alter sent_at set default moment();
alter table profiles alter changed_at set default moment();
alter table publications alter asked_at set default moment();
alter table edits alter created_at set default moment();
alter table claims alter set_at set default moment();
alter table history alter at set default moment();
alter table sources alter at set default moment();
alter table approvals alter at set default moment();
alter table comments alter at set default moment();
alter table asked alter at set default moment();
alter table notices alter at set default moment();
alter table attachments alter created_at set default moment();

---- create above / drop below ----

alter table people alter created_at set default now();
alter table changes alter sent_at set default now();
alter table profiles alter changed_at set default now();
alter table publications alter asked_at set default now();
alter table edits alter created_at set default now();
alter table claims alter set_at set default now();
alter table history alter at set default now();
alter table sources alter at set default now();
alter table approvals alter at set default now();
alter table comments alter at set default now();
alter table asked alter at set default now();
alter table notices alter at set default now();
alter table attachments alter created_at set default now();
drop function moment();

drop index builds_by_age;
alter table builds drop version_key;
drop function version_key;
create index builds_by_age on builds (model_id, security_patch desc, version desc, carrier, id);

alter table profiles drop constraint profiles_slug_form;
alter table models drop constraint models_slug_form;
alter table makers drop constraint makers_slug_form;
drop table sign_in_places, sign_in_tries;
create table sign_in_failures (
	login text not null,
	address text not null,
	at timestamptz not null default now()
);
create index sign_in_failures_recent on sign_in_failures (at);
alter table sessions drop seen_at;
drop table role_holders;
drop function uuid_or_null;
alter table answered drop content;
