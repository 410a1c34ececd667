-- What people have begun and not sent: decisions about a change, other rules of a
-- profile. Only they see it. The revision is the one that they saw.
create table drafts (
	person_id uuid not null references people,
	kind text not null check (kind in ('decisions', 'rules')),
	subject_id uuid not null,
	revision int not null,
	content jsonb not null,
	changed_at timestamptz not null default now(),
	primary key (person_id, kind, subject_id)
);
