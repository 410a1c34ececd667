package store

import (
	"context"
	"encoding/json"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"

	"roster/core/android"
)

// bestLabel is, for the package p of a query, the name to show; which that is,
// write_words says (migration 020).
const bestLabel = `coalesce((select w.label from package_words w where w.package_id = p.id), '')`

// withoutLanguage is BCP 47's tag for a text whose language is not known.
const withoutLanguage = "und"

// Unnamed is a package of a capture whose file nobody has read yet.
type Unnamed struct {
	Name        string `db:"name"`
	VersionCode int64  `db:"version_code"`
	Signer      string `db:"signer"`
}

// Unnamed lists the packages that are installed on a captured phone and whose
// files were never read in this version.
func (s *Store) Unnamed(ctx context.Context, capture uuid.UUID) ([]Unnamed, error) {
	rows, err := s.pool.Query(ctx, `
		select p.name, f.version_code, coalesce(f.details->>'signer', '') as signer
		from sightings x join facts f on f.id = x.facts_id join packages p on p.id = x.package_id
		where x.capture_id = $1 and x.installed and not exists (
			select from package_files k
			where k.package_id = x.package_id and k.version_code = f.version_code
				and k.signer = coalesce(f.details->>'signer', ''))
		order by p.name`, capture)
	return collectRows[Unnamed](rows, err)
}

// NewName is what a package file said.
type NewName struct {
	Name        string
	VersionCode int64
	Signer      string
	// Labels by language, the one without a language under "".
	Labels  map[string]string
	Icon    []byte
	Problem string
}

// AddNames keeps what package files said, once for each version, and lets
// search find the labels. Names that break the grammar are left out.
func (s *Store) AddNames(ctx context.Context, list []NewName) error {
	return s.inTx(ctx, func(ctx context.Context, tx pgx.Tx) error {
		var batch pgx.Batch
		for _, n := range list {
			if _, err := android.ParsePackageName(n.Name); err != nil {
				continue
			}
			labels := map[string]string{}
			for language, label := range n.Labels {
				if language == "" {
					language = withoutLanguage
				}
				if android.Language(language) {
					labels[language] = android.Printable(label, 200)
				}
			}
			raw, err := json.Marshal(labels)
			if err != nil {
				return err
			}
			kind := android.PictureType(n.Icon)
			if kind == "" {
				n.Icon = nil
			}
			batch.Queue(`
				insert into package_files (package_id, version_code, signer, labels, icon, icon_type, problem)
				select id, $2, $3, $4, $5, $6, $7 from packages where name = $1
				on conflict (package_id, version_code, signer)
				do update set labels = excluded.labels, icon = excluded.icon, icon_type = excluded.icon_type,
					problem = excluded.problem,
						read_at = now()`, n.Name, n.VersionCode, n.Signer, raw, n.Icon, kind, n.Problem)
			batch.Queue(`
				insert into labels (package_id, language, label, from_file)
				select p.id, l.key, l.value, true
				from packages p, jsonb_each_text($2::jsonb) l
				where p.name = $1
				on conflict
				do nothing`, n.Name, raw)
		}
		return tx.SendBatch(ctx, &batch).Close()
	})
}

// Icon is a package's picture as its newest file has it.
func (s *Store) Icon(ctx context.Context, name string) (data []byte, kind string, err error) {
	err = s.pool.QueryRow(ctx, `
		select k.icon, k.icon_type from package_files k join packages p on p.id = k.package_id
		where p.name = $1 and k.icon is not null order by k.version_code desc limit 1`, name).Scan(&data, &kind)
	if isNone(err) {
		err = ErrNotFound
	}
	return data, kind, err
}
