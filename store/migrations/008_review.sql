-- Review in depth: rounds of a change, what reviewers say, two of them where
-- the rules want it, and a change that takes an accepted one back.

alter table changes add words text not null default '';
-- Counts up when its author sends a revision.
alter table changes add round int not null default 1;
-- The name of the list that it was imported from, '' for people's own edits.
alter table changes add imported_from text not null default '';
-- The accepted change that this one takes back.
alter table changes add reverts uuid references changes;

alter table edits drop constraint edits_state_check;
alter table edits add constraint edits_state_check check (state in ('in-tray', 'open', 'accepted', 'returned', 'turned-down', 'taken-back', 'replaced'));
-- An edit and its revisions are one thread: the id of the first of them.
alter table edits add thread uuid;
update edits set thread = id;
alter table edits alter thread set not null;
alter table edits add round int not null default 1;
-- In a tray: the change that this edit revises or takes back.
alter table edits add revises uuid references changes;
alter table edits add reverts uuid references changes;
-- The trial or source that the edit takes out again.
alter table edits add takes uuid;
-- What a reviewer wrote in place of the value, to settle a conflict.
alter table edits add settled jsonb;
alter table edits add settled_by uuid references people;
create index edits_of_package on edits (package_id, field) where state = 'open';

-- Trials and sources bear the id of the edit that brought them, so that an
-- accepted change can be taken back. Those of older programs are matched.
create temporary table brought on commit drop as
	select t.id as old, e.id as new from
		(select id, change_id, package_id, build_id, phone, method, row_number() over (partition by change_id, package_id, build_id, phone, method, outcome order by id) as n, outcome from trials) t
		join (select id, change_id, package_id, (value ->> 'build')::uuid as build_id, value ->> 'phone' as phone, value ->> 'method' as method, value ->> 'outcome' as outcome,
				row_number() over (partition by change_id, package_id, value ->> 'build', value ->> 'phone', value ->> 'method', value ->> 'outcome' order by id) as n
			from edits where field = 'trial' and state = 'accepted') e
		on (e.change_id, e.package_id, e.build_id, e.phone, e.method, e.outcome, e.n) = (t.change_id, t.package_id, t.build_id, t.phone, t.method, t.outcome, t.n);
update trials t set id = b.new from brought b where b.old = t.id;
drop table brought;
create temporary table brought on commit drop as
	select s.id as old, e.id as new from
		(select id, change_id, package_id, title, row_number() over (partition by change_id, package_id, title order by id) as n from sources) s
		join (select id, change_id, package_id, value ->> 'title' as title, row_number() over (partition by change_id, package_id, value ->> 'title' order by id) as n
			from edits where field = 'source' and state = 'accepted') e
		on (e.change_id, e.package_id, e.title, e.n) = (s.change_id, s.package_id, s.title, s.n);
update sources s set id = b.new from brought b where b.old = s.id;
drop table brought;

-- What a document calls the package, in Roster's words; '' where it does not.
alter table sources add load text not null default '';

-- Who has accepted an edit that needs more than one.
create table approvals (
	edit_id uuid not null references edits,
	person_id uuid not null references people,
	at timestamptz not null default now(),
	primary key (edit_id, person_id)
);

create table comments (
	id uuid primary key,
	change_id uuid not null references changes,
	-- the edit's thread; null for the change as a whole
	thread uuid,
	person_id uuid not null references people,
	text text not null,
	at timestamptz not null default now()
);
create index comments_of_change on comments (change_id, at);

-- Whom somebody asked to look at a change.
create table asked (
	change_id uuid not null references changes,
	person_id uuid not null references people,
	asked_by uuid not null references people,
	words text not null,
	at timestamptz not null default now(),
	answered_at timestamptz,
	primary key (change_id, person_id)
);
create index asked_of_person on asked (person_id) where answered_at is null;

-- When somebody last looked at a change, to show what has moved since.
create table looks (
	change_id uuid not null references changes,
	person_id uuid not null references people,
	at timestamptz not null default now(),
	primary key (change_id, person_id)
);

-- A person who reviewed their own edit, where an installation of one allows it.
alter table history add alone boolean not null default false;

-- What each person's edits came to, so that their record needs no counting.
alter table people add decided int not null default 0;
alter table people add accepted int not null default 0;
alter table people add changes_accepted int not null default 0;
update people p set decided = n.decided, accepted = n.accepted, changes_accepted = n.changes from (
	select author_id, count(*) filter (where state in ('accepted', 'returned', 'turned-down')) as decided, count(*) filter (where state = 'accepted') as accepted,
		count(distinct change_id) filter (where state = 'accepted') as changes
	from edits where change_id is not null group by 1) n where n.author_id = p.id;

-- Which packages a release takes off: its document, indexed.
create table release_packages (
	release_id uuid not null references releases,
	package_id uuid not null references packages,
	primary key (release_id, package_id)
);
insert into release_packages
	select distinct r.id, p.id from releases r, jsonb_array_elements(convert_from(r.document, 'utf8')::jsonb -> 'steps') s join packages p on p.name = s ->> 'package';
create index release_packages_by_package on release_packages (package_id);

---- create above / drop below ----

drop table release_packages;
alter table people drop decided, drop accepted, drop changes_accepted;
alter table history drop alone;
drop table looks, asked, comments, approvals;
alter table sources drop load;
drop index edits_of_package;
delete from edits where state = 'replaced';
alter table edits drop thread, drop round, drop revises, drop reverts, drop takes, drop settled, drop settled_by;
alter table edits drop constraint edits_state_check;
alter table edits add constraint edits_state_check check (state in ('in-tray', 'open', 'accepted', 'returned', 'turned-down', 'taken-back'));
alter table changes drop words, drop round, drop imported_from, drop reverts;
