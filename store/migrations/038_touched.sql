-- Which tables were written to, by transaction: what a server has read of them
-- before holds for as long as nobody has. See settled.go.
create table touched (
	xid xid8 not null default pg_current_xact_id(),
	what text not null,
	-- When it was found to be committed; null until then.
	found_at timestamptz,
	primary key (xid, what)
);
create function touch() returns trigger language plpgsql as $$ begin
	-- After a restore into another cluster ids come again that stand here.
	insert into touched as t (what) values (tg_table_name)
	on conflict (xid, what) do update set found_at = null where t.found_at is not null;
	return null;
end $$;
do $$
declare
	written text;
begin
	foreach written in array array['packages', 'claims', 'makers', 'builds', 'profiles', 'releases',
		'release_packages', 'presence', 'shipped_by', 'trials', 'settings', 'edits', 'package_uses',
		'package_words'] loop
		execute format('create trigger touch after insert or update or delete on %I
			for each statement execute function touch()', written);
	end loop;
end $$;
-- Of a model other columns say only how far it was worked out.
create trigger touch after insert or delete or update of maker_id, slug, name, form on models
	for each statement execute function touch();
-- Figures that are made when they are asked for change nothing that was known.
create trigger touch after delete on figures for each statement execute function touch();
