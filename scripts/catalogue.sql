-- Fills an empty, migrated database with a made-up catalogue for measuring:
-- with :scale 1, 30,000 packages, 2,000 builds, 900,000 sightings, 200,000
-- trials by 40 people, and 40 profiles with 400 releases. Everything is derived from numbers, so that two runs
-- give the same. Figures are made by the server when it starts.
\set ON_ERROR_STOP 1
select greatest((20 * :scale)::int, 1) as makers \gset
begin;
-- What refers to what is right by construction: checking it would take longer
-- than the rest.
set session_replication_role = replica;
create function pg_temp.id(kind text, n bigint) returns uuid language sql immutable as
	$$ select md5(kind || ' ' || n)::uuid $$;
-- chance is a number from 0 to 1 that belongs to a text.
create function pg_temp.chance(text) returns double precision language sql immutable as
	$$ select ('x' || substr(md5($1), 1, 8))::bit(32)::bigint / 4294967296.0 $$;
create temp table words (no int, en text, de text);
insert into words select row_number() over () - 1, split_part(w, '/', 1), split_part(w, '/', 2) from unnest(string_to_array(
	'camera/Kamera,calendar/Kalender,wallet/Brieftasche,music/Musik,weather/Wetter,notes/Notizen,gallery/Galerie,recorder/Rekorder,printer/Drucker,' ||
	'assistant/Assistent,backup/Sicherung,browser/Browser,market/Markt,health/Gesundheit,radio/Radio,scanner/Scanner,theme/Design,update/Aktualisierung,' ||
	'location/Standort,account/Konto,keyboard/Tastatur,message/Nachricht,payment/Zahlung,gaming/Spiele,sticker/Aufkleber,transfer/Transfer,analytics/Analyse,' ||
	'partner/Partner,service/Dienst,provider/Anbieter', ',')) w;

insert into people (id, login, name, role, password_hash)
	select pg_temp.id('person', n), 'sample' || n, 'Sample ' || n, 'technician', '' from generate_series(1, 40) n;
insert into changes (id, author_id, title, state, decided_at) values (pg_temp.id('change', 1), pg_temp.id('person', 1), 'The generated catalogue', 'accepted', now());

insert into makers (id, slug, name, manufacturer)
	select pg_temp.id('maker', n), 'maker-' || n, 'Maker ' || n, 'maker' || n from generate_series(1, :makers) n;
insert into models (id, maker_id, slug, name, device, form)
	select pg_temp.id('model', n), pg_temp.id('maker', 1 + n % :makers), 'model-' || n, 'Model ' || n, 'device' || n, 'phone'
	from generate_series(1, (400 * :scale)::int) n;
insert into builds (id, model_id, fingerprint, version, release, sdk, security_patch, display_id, region, carrier)
	select pg_temp.id('build', n), pg_temp.id('model', 1 + (n - 1) / 5), 'maker/model/device:' || n, ((n - 1) % 5 + 1) || '.0', (12 + (n - 1) / 5 % 3 + (n - 1) % 5 / 3)::text,
		34, '2026-0' || ((n - 1) % 5 + 1) || '-05', '', '', ''
	from generate_series(1, (2000 * :scale)::int) n;

-- Packages 1 to 150 are the platform's; the others belong to makers in turn,
-- of which each has twenty models and some 1,490 packages, whatever the size.
insert into packages (id, name, origin, origin_reason)
	select pg_temp.id('package', n),
		case when n <= 150 then 'com.android.' else 'com.maker' || 1 + n % :makers || '.' end || w.en || '.p' || n,
		case when n <= 150 then 'platform' when n % 7 = 0 then 'partner' when n % 11 = 0 then 'carrier' else 'maker' end, 'generated'
	from generate_series(1, (30000 * :scale)::int) n join words w on w.no = n % 30;
insert into labels (package_id, language, label)
	select pg_temp.id('package', n), l.language, initcap(case l.language when 'en' then a.en || ' ' || b.en else a.de || ' ' || b.de end)
	from generate_series(1, (30000 * :scale)::int) n join words a on a.no = n % 30 join words b on b.no = n / 30 % 30 cross join (values ('en'), ('de')) l (language);
-- Each firmware of a model brings every package anew, and some ask for more.
insert into facts (id, package_id, version_code, version_name, path, partition, system, privileged, persistent, shared_user, starts_at_boot, details)
	select pg_temp.id('facts', n * 10 + v), pg_temp.id('package', n), n * 10 + v, v || '.' || n, '/system/app/p' || n, 'system', true, n % 5 = 0, false, '', (n + v) % 40 = 0 or n % 4 = 0,
		case when (n + v) % 25 = 0 then '{"requests":["android.permission.INTERNET","android.permission.READ_CONTACTS"]}' else '{"requests":["android.permission.INTERNET"]}' end::jsonb
	from generate_series(1, (30000 * :scale)::int) n cross join generate_series(1, 5) v;
insert into captures (id, inventory_id, build_id, phone, person_id, source, complete, missing, reports, digest)
	select pg_temp.id('capture', n), pg_temp.id('capture', n), pg_temp.id('build', n), 'phone' || n,
		pg_temp.id('person', 1 + n % 40), 'file', true, '', '[]', decode(md5('capture ' || n), 'hex')
	from generate_series(1, (2000 * :scale)::int) n;

-- A build ships the platform, and 300 of its maker's packages that its model
-- and version choose.
create temp table shipped as
	select b, p from generate_series(1, (2000 * :scale)::int) b cross join lateral (
		select p from generate_series(1, 150) p
		union all
		select :makers * (150 / :makers + 1 + ((b - 1) / 5 * 61 + k + (b - 1) % 5 * 4) % 1400) + (1 + (b - 1) / 5) % :makers from generate_series(1, 300) k) x;
insert into presence (build_id, package_id, switched_off, facts_id)
	select pg_temp.id('build', b), pg_temp.id('package', p), p % 40 = 0, pg_temp.id('facts', p * 10 + (b - 1) % 5 + 1) from shipped;
insert into shipped_by (model_id, package_id, builds, newest)
	select b.model_id, x.package_id, count(*), max(b.first_seen) from presence x join builds b on b.id = x.build_id group by 1, 2;
update packages p set builds = k.builds, newest_build = k.newest, makers = k.makers, maker_id = case when k.makers = 1 then k.maker_id end
	from (select s.package_id, sum(s.builds) as builds, max(s.newest) as newest, count(distinct d.maker_id) as makers, (array_agg(d.maker_id))[1] as maker_id
		from shipped_by s join models d on d.id = s.model_id group by 1) k where k.package_id = p.id;
insert into inventories (capture_id, package_id, place, facts_id, installed, enabled, installer, updated)
	select pg_temp.id('capture', b), pg_temp.id('package', p), row_number() over (partition by b order by p),
		pg_temp.id('facts', p * 10 + (b - 1) % 5 + 1), true, 'default', '', false from shipped;

insert into claims (package_id, field, scope_kind, scope_id, value, reason, set_by, change_id)
	select pg_temp.id('package', n), f.field, 'everywhere', '00000000-0000-0000-0000-000000000000',
		case f.field when 'load' then jsonb_build_object('load', (array['loose', 'leaned-on', 'tied-in', 'unproven'])[1 + n % 4])
			when 'functions' then jsonb_build_array(w.en) else to_jsonb('Opens the ' || w.en || ' and keeps it running.') end,
		'generated', pg_temp.id('person', 1), pg_temp.id('change', 1)
	from generate_series(1, (30000 * :scale)::int, 3) n join words w on w.no = n % 30 cross join (values ('load'), ('functions'), ('description')) f (field);

-- Trials are made on one model in four, and most of them go well.
insert into trials (id, package_id, build_id, phone, person_id, method, outcome, function, persistence, recovery, watched_days, note, at, change_id)
	select gen_random_uuid(), pg_temp.id('package', p), pg_temp.id('build', b), md5('phone ' || b % 7 || p % 3 || who), pg_temp.id('person', 1 + (who * 40)::int % 40),
		case when what < 0.9 then 'remove-for-user' else 'disable' end,
		case when harm < 0.02 then 'fault' when harm < 0.06 then 'function-lost' when harm < 0.08 then 'refused' else 'clean' end,
		case when harm >= 0.02 and harm < 0.06 then 'payments' else '' end,
		case when harm > 0.95 then 'back-after-restart' else 'held' end, 'not-tried', 7, '', now() - who * interval '400 days', pg_temp.id('change', 1)
	from (select b, p, pg_temp.chance('who' || b || ' ' || p) who, pg_temp.chance('what' || b || ' ' || p) what, pg_temp.chance('harm' || b || ' ' || p) harm
		from shipped where (b - 1) / 5 % 4 = 0 order by pg_temp.chance('tried' || b || ' ' || p) limit (200000 * :scale)::int) x;
-- Forty models have a profile each, with ten releases: each is made for the
-- model's first four builds, and takes off more of every third of the packages
-- that the first one ships.
insert into signing_keys (id, public_key, sealed) values ('generated', '', '');
insert into profiles (id, model_id, slug, name, purpose, rules, changed_by)
	select pg_temp.id('profile', n), pg_temp.id('model', n), 'quiet', 'Quiet', 'generated', '{"method":"remove-for-user","highestLoad":"leaned-on","highestCeiling":0.4,"pins":[]}', pg_temp.id('person', 1)
	from generate_series(1, 40) n where exists (select from models where id = pg_temp.id('model', n));
create temp table taken as
	select n, number, k.id as package_id, k.name from (select distinct 1 + (b - 1) / 5 as n, p from shipped where b % 5 = 1 and b <= 200 and p % 3 = 0) x
	join packages k on k.id = pg_temp.id('package', x.p) cross join generate_series(1, 10) number where p % 10 < number;
insert into releases (id, profile_id, number, document, sha256, signature, key_id, published_by, state, published_at)
	select pg_temp.id('release', n * 10 + number), pg_temp.id('profile', n), number, convert_to(jsonb_build_object(
			'format', 'roster-release/1', 'number', number, 'published', '2026-06-01T12:00:00Z', 'publisher', 'Sample 1',
			'maker', jsonb_build_object('slug', m.slug, 'name', m.name, 'manufacturer', m.manufacturer),
			'model', jsonb_build_object('slug', d.slug, 'name', d.name, 'device', d.device, 'form', d.form),
			'edition', jsonb_build_object('slug', 'quiet', 'name', 'Quiet', 'purpose', 'generated'),
			'rules', jsonb_build_object('method', 'remove-for-user', 'highestLoad', 'leaned-on', 'highestCeiling', 0.4),
			'builds', (select jsonb_agg(jsonb_build_object('fingerprint', b.fingerprint, 'version', b.version, 'android', b.release, 'securityPatch', b.security_patch, 'proof', 'unproven'))
				from builds b where b.model_id = d.id and b.version < '5.0'),
			'steps', (select jsonb_agg(jsonb_build_object('kind', 'remove', 'package', t.name, 'method', 'remove-for-user') order by t.name) from taken t where t.n = x.n and t.number = x.number))::text, 'UTF8'),
		'', '', 'generated', pg_temp.id('person', 1), case when number = 10 then 'current' else 'replaced' end, now() - (11 - number) * interval '10 days'
	from (select distinct n, number from taken) x join models d on d.id = pg_temp.id('model', n) join makers m on m.id = d.maker_id;
insert into release_packages (release_id, package_id, method)
	select pg_temp.id('release', n * 10 + number), package_id, 'remove-for-user' from taken;
delete from settings where key = 'figures version';
select write_words(array(select id from packages));
update catalogue_size set packages = (select count(*) from packages);
commit;
analyze;
