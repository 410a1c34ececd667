-- What a package is found by, in one row: search reads one index, and the words
-- of a package without looking up labels and claims.
create table package_words (
	package_id uuid primary key references packages,
	name text not null,
	-- in lower case, each between line breaks: its name, labels and aliases
	names text not null,
	-- in lower case: what people say that it does
	said text not null,
	-- what it is shown as: English before other languages, what people wrote
	-- before what its file says; '' where it has no label
	label text not null
);
create index package_words_search on package_words using gin (names gin_trgm_ops, said gin_trgm_ops);

-- How many packages there are: counting them takes longer than finding some.
create table catalogue_size (packages bigint not null);
insert into catalogue_size select count(*) from packages;

-- write_words writes the words of packages anew. Whoever changes labels or claims
-- of the same package at once waits, so that neither misses the other's.
create function write_words(packages_changed uuid[]) returns void language plpgsql as $$
begin
	perform from packages where id = any(packages_changed) order by id for no key update;
	insert into package_words as w (package_id, name, names, said, label)
	select p.id, p.name,
		E'\n' || lower(p.name) || E'\n' || coalesce((select
			string_agg(lower(replace(l.label, E'\n', ' ')) || E'\n', '' order by l.language, l.label)
			from labels l
			where l.package_id = p.id), ''),
		coalesce((select string_agg(lower(k.value #>> '{}'), E'\n' order by k.field, k.scope_kind, k.scope_id)
			from claims k
			where k.package_id = p.id and k.field in ('description', 'functions') and k.value is not null), ''),
		coalesce((select l.label
			from labels l
			where l.package_id = p.id and l.language <> ''
			order by l.language <> 'en', l.language <> 'und', l.from_file, l.language
			limit 1), '')
	from packages p
	where p.id = any(packages_changed)
	on conflict (package_id) do update set names = excluded.names, said = excluded.said, label = excluded.label
	where (w.names, w.said, w.label) is distinct from (excluded.names, excluded.said, excluded.label);
end
$$;

create function words_of_packages() returns trigger language plpgsql as $$
begin
	insert into package_words (package_id, name, names, said, label)
	select id, name, E'\n' || lower(name) || E'\n', '', '' from changed;
	update catalogue_size set packages = packages + (select count(*) from changed);
	return null;
end
$$;
create function words_of_labels() returns trigger language plpgsql as $$
begin
	perform write_words(array(select distinct package_id from changed));
	return null;
end
$$;
create function words_of_claims() returns trigger language plpgsql as $$
begin
	if exists (select from changed where field in ('description', 'functions')) then
		perform write_words(array(select distinct package_id from changed where field in ('description', 'functions')));
	end if;
	return null;
end
$$;
create trigger words_of_new after insert on packages
	referencing new table as changed for each statement execute function words_of_packages();
create trigger words_of_new after insert on labels
	referencing new table as changed for each statement execute function words_of_labels();
create trigger words_of_changed after update on labels
	referencing new table as changed for each statement execute function words_of_labels();
create trigger words_of_gone after delete on labels
	referencing old table as changed for each statement execute function words_of_labels();
create trigger words_of_new after insert on claims
	referencing new table as changed for each statement execute function words_of_claims();
create trigger words_of_changed after update on claims
	referencing new table as changed for each statement execute function words_of_claims();
create trigger words_of_gone after delete on claims
	referencing old table as changed for each statement execute function words_of_claims();
select write_words(array(select id from packages));
-- With packages_name_search PostgreSQL looked some hundred whole names up by their
-- parts, which took a second.
drop index claims_words, labels_search, packages_name_search;

---- create above / drop below ----

create index packages_name_search on packages using gin (name gin_trgm_ops);
create index labels_search on labels using gin (label gin_trgm_ops);
create index claims_words on claims using gin ((value #>> '{}') gin_trgm_ops) where field in ('description', 'functions');
drop trigger words_of_new on packages;
drop trigger words_of_new on labels;
drop trigger words_of_changed on labels;
drop trigger words_of_gone on labels;
drop trigger words_of_new on claims;
drop trigger words_of_changed on claims;
drop trigger words_of_gone on claims;
drop function words_of_packages, words_of_labels, words_of_claims, write_words;
drop table package_words, catalogue_size;
