-- What was saved of phones has an end: by a person, or by the rule.
alter table backups
	-- stays until somebody says otherwise
	add kept boolean not null default false,
	-- when its bench was asked to delete it last
	add asked_at timestamptz,
	-- when its files were gone, and who wanted that; null is the rule
	add deleted_at timestamptz,
	add deleted_by uuid references people;
create index backups_there on backups (made_at desc, id desc) where deleted_at is null;

---- create above / drop below ----

drop index backups_there;
alter table backups drop kept, drop asked_at, drop deleted_at, drop deleted_by;
