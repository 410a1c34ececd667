-- What people claim, on which evidence, and how it came to be.

create table changes (
	id uuid primary key,
	number bigint generated always as identity unique,
	author_id uuid not null references people,
	title text not null,
	state text not null check (state in ('sent', 'accepted', 'returned', 'turned-down', 'taken-back')),
	revision int not null default 1,
	sent_at timestamptz not null default now(),
	decided_at timestamptz
);
create index changes_open on changes (sent_at) where state = 'sent';
create index changes_of_author on changes (author_id, sent_at desc);

create table edits (
	id uuid primary key,
	author_id uuid not null references people,
	-- null while the edit lies in its author's tray
	change_id uuid references changes,
	package_id uuid not null references packages,
	field text not null,
	scope_kind text not null check (scope_kind in ('everywhere', 'maker', 'model', 'build')),
	-- all zeros for everywhere
	scope_id uuid not null,
	-- what the field held when the edit was made
	base jsonb,
	value jsonb,
	reason text not null,
	state text not null check (state in ('in-tray', 'open', 'accepted', 'returned', 'turned-down', 'taken-back')),
	words text not null default '',
	decided_by uuid references people,
	decided_at timestamptz,
	created_at timestamptz not null default now(),
	check ((change_id is null) = (state = 'in-tray'))
);
create index edits_in_tray on edits (author_id, created_at) where change_id is null;
create index edits_of_change on edits (change_id, created_at, id);

-- What the catalogue says now: the head of each field's history.
create table claims (
	package_id uuid not null references packages,
	field text not null,
	scope_kind text not null,
	scope_id uuid not null,
	value jsonb,
	revision int not null default 1,
	reason text not null,
	set_by uuid not null references people,
	set_at timestamptz not null default now(),
	change_id uuid not null references changes,
	primary key (package_id, field, scope_kind, scope_id)
);

create table labels (
	package_id uuid not null references packages,
	-- '' for an alias
	language text not null,
	label text not null,
	primary key (package_id, language, label)
);
create index labels_search on labels using gin (label gin_trgm_ops);

create table trials (
	id uuid primary key,
	package_id uuid not null references packages,
	build_id uuid not null references builds,
	phone text not null,
	person_id uuid not null references people,
	method text not null,
	outcome text not null,
	function text not null,
	persistence text not null,
	recovery text not null,
	watched_days int not null,
	note text not null,
	at timestamptz not null default now(),
	change_id uuid not null references changes
);
create index trials_of_package on trials (package_id, at desc);

-- What the trials of a package come to, seen from a target: a build, a maker,
-- or everywhere (all zeros). Written in the transaction that changes what it
-- rests on, so that it is never stale. A package without trials has no row.
create table figures (
	package_id uuid not null references packages,
	target uuid not null,
	method text not null,
	weight double precision not null,
	harmed_weight double precision not null,
	ceiling double precision not null,
	floor double precision not null,
	severe_ceiling double precision not null,
	severe_floor double precision not null,
	standing text not null,
	phones int not null,
	people int not null,
	harmed_phones int not null,
	suggested text not null,
	reasons jsonb not null,
	-- ticks of the trial strip, nearest firmware first: core/evidence.Strip
	strip text not null,
	primary key (target, method, package_id)
);
create index figures_of_package on figures (package_id);

create table history (
	id uuid primary key,
	at timestamptz not null default now(),
	author_id uuid not null references people,
	accepted_by uuid not null references people,
	change_id uuid not null references changes,
	edit_id uuid not null references edits,
	package_id uuid not null references packages,
	field text not null,
	scope_kind text not null,
	scope_id uuid not null,
	before jsonb,
	after jsonb,
	reason text not null
);
create index history_of_package on history (package_id, at desc);

create function refuse_change() returns trigger language plpgsql as $$
begin
	raise exception '% is append-only', tg_table_name using errcode = 'restrict_violation';
end $$;
create trigger history_append_only before update or delete on history
	for each row execute function refuse_change();
create trigger history_no_truncate before truncate on history
	for each statement execute function refuse_change();

---- create above / drop below ----

drop table history, figures, trials, labels, claims, edits, changes;
drop function refuse_change;
