-- Which programs the database can be worked with: least is the oldest migration
-- that one has to know. A migration that takes away what programs before it use,
-- or gives it another meaning, raises it; one that only adds leaves it. Servers
-- that run are told of either.
alter table schema_version add least int not null default 37;
create function tell_schema() returns trigger language plpgsql as $$ begin
	perform pg_notify('roster', jsonb_build_object('event', '{"topic": "schema"}'::jsonb,
		'xid', pg_current_xact_id()::text)::text);
	return null;
end $$;
create trigger tell_schema after update on schema_version for each row execute function tell_schema();
