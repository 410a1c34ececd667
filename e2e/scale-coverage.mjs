// Measures coverage over ten times as many builds as the generated catalogue has:
// it grows with the models that are shown, not with all builds. It is counted before
// it is asked for; what the server has yet to count of earlier changes is let be.
//
//	node e2e/scale-coverage.mjs URL DATABASE
import { execFileSync } from 'node:child_process'

import { as, p95 } from './asking.mjs'

const [base, database] = process.argv.slice(2)
await as(base, 'keeper')
const sql = (text) => execFileSync('psql', [database, '-qAtc', text], { encoding: 'utf8' }).trim()

sql(`begin;
	set local session_replication_role = replica;
	update models set cover_stale = false;
	insert into models (id, maker_id, slug, name, device, form, cover_stale)
		select gen_random_uuid(), d.maker_id, d.slug || '-' || n, d.name || ' ' || n, d.device || '-' || n, d.form, false
		from models d
		cross join generate_series(2, 10) n;
	insert into builds (id, model_id, fingerprint, version, release, sdk, security_patch, display_id, region, carrier)
		select gen_random_uuid(), e.id, b.fingerprint || '-' || n, b.version, b.release, b.sdk, b.security_patch,
			b.display_id, b.region, b.carrier
		from builds b
		join models d on d.id = b.model_id
		cross join generate_series(2, 10) n
		join models e on e.maker_id = d.maker_id and e.slug = d.slug || '-' || n;
	insert into build_cover (build_id, packages, graded, tried, wanted, phones, people, captured_at)
		select b.id, 450, 20, b.sdk, 3, 2, 1, now()
		from builds b
		where not exists (select from build_cover v where v.build_id = b.id);
	insert into model_cover
		select b.model_id, count(*), count(*), sum(v.packages), sum(v.graded), sum(v.tried), sum(v.wanted), sum(v.phones),
			max(v.people), max(v.captured_at)
		from builds b
		join build_cover v on v.build_id = b.id
		where not exists (select from model_cover c where c.model_id = b.model_id)
		group by 1;
	commit`)
for (const table of ['models', 'builds', 'build_cover', 'model_cover']) sql(`vacuum analyze ${table}`)
await p95('coverage at ten times as many builds', Array(6).fill('/api/v1/coverage'), { id: 'coverage-ten' })
