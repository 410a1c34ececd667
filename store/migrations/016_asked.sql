-- What a publication would do otherwise than the release before, computed when it
-- was asked for; null where an older program asked, which computed none.
alter table publications
	add since int not null default 0,
	add differences text[];
