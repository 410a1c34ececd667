package store

import (
	"context"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"

	"roster/core/catalog"
)

// ByHand is how a package of a release can be dealt with on the phone itself.
type ByHand struct {
	// Icon is "yes" where it has an icon on the release's models, "" where no
	// capture told.
	Icon string
	Hand catalog.Hand
	// Sure is true where somebody tried; else it is derived.
	Sure bool
	// Phones counts those on which somebody tried.
	Phones int
}

// handFacts are what of a package's facts f, on the build h of the same row,
// tells whether it can be dealt with by hand: an ordinary install, and signed with
// the key that signed the platform.
const handFacts = `bool_and(f.partition = 'data' and not f.system) as ordinary,
		bool_or(f.details ->> 'signer' = (select pf.details ->> 'signer'
			from presence ph
			join packages pp on pp.id = ph.package_id
			join facts pf on pf.id = ph.facts_id
			where ph.build_id = h.build_id and pp.name = 'android')) as platform`

// ReleaseByHand tells for each package of a release what the settings of the
// phones that it is for offer.
func (s *Store) ReleaseByHand(ctx context.Context, release uuid.UUID) (map[string]ByHand, error) {
	rows, err := s.pool.Query(ctx, `
		with models as materialized (
			select p.model_id as id
			from releases r
			join profiles p on p.id = r.profile_id
			where r.id = $1
			union
			select s.model_id
			from releases r
			join profile_sisters s on s.profile_id = r.profile_id
			where r.id = $1),
		trialled as (
			select t.package_id, count(distinct t.phone) filter (where t.by_hand = 'done') as done,
				count(distinct t.phone) filter (where t.by_hand = 'not-offered') as not_offered
			from release_packages x
			join trials t on t.package_id = x.package_id
			join builds b on b.id = t.build_id
			where x.release_id = $1 and t.by_hand <> '' and b.model_id in (select id from models)
			group by 1)
		select k.name,
			case bool_or(h.icon) when true then 'yes' when false then 'no' else '' end,
			coalesce(bool_or(h.ordinary), false), coalesce(bool_or(h.platform), false),
			coalesce(max(t.done), 0)::int, coalesce(max(t.not_offered), 0)::int
		from release_packages x
		join packages k on k.id = x.package_id
		left join trialled t on t.package_id = x.package_id
		left join lateral (
			select bool_or(h.icon) as icon, `+handFacts+`
			from builds b
			join presence h on h.build_id = b.id and h.package_id = x.package_id
			join facts f on f.id = h.facts_id
			where b.model_id in (select id from models)) h on true
		where x.release_id = $1
		group by 1`, release)
	if err != nil {
		return nil, err
	}
	all := map[string]ByHand{}
	var name string
	var b ByHand
	var f catalog.HandFacts
	_, err = pgx.ForEachRow(rows, []any{&name, &b.Icon, &f.Ordinary, &f.Platform, &f.Done, &f.NotOffered}, func() error {
		b.Hand, b.Sure = catalog.ByHand(f)
		b.Phones = f.Done + f.NotOffered
		all[name] = b
		return nil
	})
	return all, err
}

// LabelsIn tells how packages are called on the screen of a phone in a language,
// by their names; those of which it is not known are left out.
func (s *Store) LabelsIn(ctx context.Context, language string, names []string) (map[string]string, error) {
	rows, err := s.pool.Query(ctx, `
		select distinct on (k.name) k.name, l.label
		from packages k
		join labels l on l.package_id = k.id
		where k.name = any($1) and split_part(lower(l.language), '-', 1) = $2
		order by k.name, l.language <> $2, not l.from_file, l.label`, names, language)
	if err != nil {
		return nil, err
	}
	labels := map[string]string{}
	var name, label string
	_, err = pgx.ForEachRow(rows, []any{&name, &label}, func() error { labels[name] = label; return nil })
	return labels, err
}
