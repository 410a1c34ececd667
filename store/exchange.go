package store

import (
	"cmp"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"regexp"
	"slices"
	"strings"

	"github.com/jackc/pgx/v5"
)

// CatalogueFormat names the shape of an exported catalogue: for each of
// Sections its rows, in that order. docs/catalogue-format.md describes it.
const CatalogueFormat = "roster-catalogue/1"

// section is one part of an exported catalogue: columns of a table, without
// secrets and without what can be computed from the rest.
type section struct {
	name    string
	columns string
	order   string
	where   string
	// plus are columns that the table needs and the export does not have, with
	// what they become.
	plus map[string]string
	// older are columns that exports of older programs lack, with what they are
	// then.
	older map[string]string
	// from is what the rows are read from in their order, where that is no table of
	// this name; into the table where they are written, and then what is done once
	// all of them are.
	from, into, then string
}

// wholeSightings are what captures found with what it takes there, capture by
// capture: all at once would have to be sorted.
const wholeSightings = `(select id from captures order by id) c
	cross join lateral (select * from sightings_of(c.id) order by package_id) s`

// unfoldedSightings takes sightings as they are exported, for fold_sightings.
const unfoldedSightings = `
	create temporary table unfolded_sightings (capture_id uuid, package_id uuid, facts_id uuid not null,
		installed boolean not null, enabled text not null, installer text not null, app_bytes bigint not null,
		data_bytes bigint not null, cache_bytes bigint not null, updated boolean not null,
		primary key (capture_id, package_id)) on commit drop`

// sections are in an order in which each refers only to those before it.
var sections = []section{
	{name: "makers", columns: "id, slug, name, manufacturer", order: "id"},
	{name: "models", columns: "id, maker_id, slug, name, device, form", order: "id"},
	{name: "builds", columns: "id, model_id, fingerprint, version, release, sdk, security_patch, display_id, region, carrier, first_seen", order: "id"},
	{name: "packages", columns: "id, name, origin, origin_reason, first_seen, builds, newest_build, makers, maker_id, icon", order: "id"},
	{name: "people", columns: "id, login, name, role, created_at, removed_at, decided, accepted, changes_accepted", order: "id", plus: map[string]string{"password_hash": "''"}},
	{name: "facts", columns: "id, package_id, version_code, version_name, path, partition, system, privileged, persistent, shared_user, starts_at_boot, details", order: "id"},
	{name: "captures", columns: "id, build_id, phone, person_id, source, taken_at, complete, missing, reports, digest, phone_facts", order: "id", plus: map[string]string{"inventory_id": "id"}},
	{name: "sightings", columns: "capture_id, package_id, facts_id, installed, enabled, installer, app_bytes, data_bytes, cache_bytes, updated", order: "capture_id, package_id",
		from: wholeSightings, into: "unfolded_sightings", then: "select fold_sightings()"},
	{name: "presence", columns: "build_id, package_id, switched_off, facts_id, icon", order: "build_id, package_id"},
	{name: "shipped_by", columns: "model_id, package_id, builds, newest, icon", order: "model_id, package_id"},
	{name: "package_files", columns: "package_id, version_code, signer, labels, icon, icon_type, problem, read_at", order: "package_id, version_code, signer"},
	{name: "labels", columns: "package_id, language, label, from_file", order: "package_id, language, label"},
	{name: "attachments", columns: "id, person_id, name, type, content, digest, created_at, used", order: "id", where: "used"},
	{name: "changes", columns: "id, number, author_id, title, state, revision, sent_at, decided_at, words, round, imported_from, reverts", order: "number"},
	{name: "edits", columns: "id, author_id, change_id, package_id, field, scope_kind, scope_id, base, value, reason, state, words, decided_by, decided_at, created_at, thread, round, takes, settled, settled_by", order: "id", where: "change_id is not null"},
	{name: "approvals", columns: "edit_id, person_id, at", order: "edit_id, person_id"},
	{name: "comments", columns: "id, change_id, thread, person_id, text, at", order: "id"},
	{name: "claims", columns: "package_id, field, scope_kind, scope_id, value, revision, reason, set_by, set_at, change_id", order: "package_id, field, scope_kind, scope_id"},
	{name: "trials", columns: "id, package_id, build_id, phone, person_id, method, outcome, function, persistence, recovery" +
		", watched_days, note, at, change_id, tried, attachments, outside, by_hand",
		order: "id", older: map[string]string{"outside": "false", "by_hand": "''"}},
	{name: "sources", columns: "id, package_id, scope_kind, scope_id, title, link, quote, claim, load, attachment_id, person_id, at, change_id", order: "id"},
	{name: "history", columns: "id, at, author_id, accepted_by, change_id, edit_id, package_id, field, scope_kind, scope_id, before, after, reason, alone", order: "id"},
	{name: "profiles", columns: "id, model_id, slug, name, purpose, rules, revision, changed_by, changed_at", order: "id"},
	{name: "profile_sisters", columns: "profile_id, model_id", order: "profile_id, model_id"},
	// A private key never leaves: at the other end these keys only verify.
	{name: "signing_keys", columns: "id, public_key, created_at, retired_why, endorsement", order: "id", plus: map[string]string{"sealed": "''::bytea", "retired_at": "now()"}},
	{name: "releases", columns: "id, profile_id, number, document, sha256, signature, key_id, state, withdrawn_reason, published_by, published_at, withdrawn_by, withdrawn_at, asked_by", order: "id"},
	{name: "release_packages", columns: "release_id, package_id, method", order: "release_id, package_id"},
	// How replaced releases stood cannot be worked out any more; since when
	// current ones are marked, neither.
	{name: "holds", columns: "release_id, build_id, state, claimed, ships, findings, stops, stopped_at, made_from", order: "release_id, build_id"},
	{name: "lifts", columns: "release_id, build_id, stops, person_id, at, why", order: "release_id, build_id, stops"},
	{name: "settings", columns: "key, value, changed_at, revision", order: "key", where: "key in ('yardstick', 'review rules')"},
}

// Sections names the parts of an exported catalogue, in order.
func Sections() []string {
	names := make([]string, len(sections))
	for i, s := range sections {
		names[i] = s.name
	}
	return names
}

// CatalogueColumn is a column of a section. Text is true where its values are
// JSON strings; the others are any JSON.
type CatalogueColumn struct {
	Name string
	Text bool
}

// CatalogueColumns describes the columns of each section, by its name.
func (s *Store) CatalogueColumns(ctx context.Context) (map[string][]CatalogueColumn, error) {
	return catalogueColumns(ctx, s.pool)
}

func catalogueColumns(ctx context.Context, q querier) (map[string][]CatalogueColumn, error) {
	rows, err := q.Query(ctx, `
		select table_name, column_name
		from information_schema.columns
		where table_schema = current_schema()
			and table_name = any($1)
			and data_type in ('text', 'uuid', 'bytea', 'timestamp with time zone', 'date')`, Sections())
	if err != nil {
		return nil, err
	}
	text := map[[2]string]bool{}
	var table, column string
	if _, err := pgx.ForEachRow(rows, []any{&table, &column}, func() error { text[[2]string{table, column}] = true; return nil }); err != nil {
		return nil, err
	}
	columns := map[string][]CatalogueColumn{}
	for _, part := range sections {
		for _, column := range strings.Split(part.columns, ", ") {
			columns[part.name] = append(columns[part.name], CatalogueColumn{column, text[[2]string{part.name, column}]})
		}
	}
	return columns, nil
}

// CatalogueWriter takes an exported catalogue. Section is called for each
// section in order, also for one without rows, and then Row for each of its
// rows, which is valid until Row returns.
type CatalogueWriter interface {
	Section(name string, columns []CatalogueColumn) error
	Row(row json.RawMessage) error
}

// Export hands over the catalogue as it was at one moment. It holds a
// connection to the database while it does: out has to be somewhere that takes
// it as fast as it comes, and no client.
func (s *Store) Export(ctx context.Context, out CatalogueWriter) error {
	return s.inLongTx(ctx, func(ctx context.Context, tx pgx.Tx) error {
		if _, err := tx.Exec(ctx, `set transaction isolation level repeatable read, read only`); err != nil {
			return err
		}
		columns, err := catalogueColumns(ctx, tx)
		if err != nil {
			return err
		}
		for _, part := range sections {
			if err := out.Section(part.name, columns[part.name]); err != nil {
				return err
			}
			where := ""
			if part.where != "" {
				where = " where " + part.where
			}
			from := part.name + where + " order by " + part.order
			if part.from != "" {
				from = part.from
			}
			rows, err := tx.Query(ctx, `
				select row_to_json(x)::text
				from (select `+part.columns+` from `+from+`) x`)
			if err != nil {
				return err
			}
			var row string
			if _, err := pgx.ForEachRow(rows, []any{&row}, func() error { return out.Row(json.RawMessage(row)) }); err != nil {
				return fmt.Errorf("section %s: %w", part.name, err)
			}
		}
		return nil
	})
}

// ErrNotEmpty says that a catalogue can only be brought into an installation
// that has none.
var ErrNotEmpty = errors.New("there is a catalogue here already: import into an empty installation")

// importAtOnce is how many rows are written in one go.
const importAtOnce = 2000

// Import fills an installation that has no catalogue with an exported one: next
// hands over its rows in the order of the export, and "" after the last. All of
// it is written or nothing. People come without passwords; one whose login
// somebody here has gets another. Rules that were set here give way.
func (s *Store) Import(ctx context.Context, next func() (section string, row json.RawMessage, err error)) error {
	return s.inLongTx(ctx, func(ctx context.Context, tx pgx.Tx) error {
		var empty bool
		if err := tx.QueryRow(ctx, `
			select not exists (select from packages) and not exists (select from makers)`).Scan(&empty); err != nil {
			return err
		}
		if !empty {
			return ErrNotEmpty
		}
		if _, err := tx.Exec(ctx, unfoldedSightings); err != nil {
			return err
		}
		at, rows := 0, []json.RawMessage{}
		flush := func() error {
			err := makeRoom(ctx, tx, sections[at].name, rows)
			if err == nil {
				err = sections[at].insert(ctx, tx, rows)
			}
			rows = rows[:0]
			return err
		}
		for {
			name, row, err := next()
			if err != nil {
				return err
			}
			if name == "" {
				break
			}
			if name != sections[at].name || len(rows) >= importAtOnce {
				if err := flush(); err != nil {
					return err
				}
			}
			for name != sections[at].name {
				if err := sections[at].end(ctx, tx); err != nil {
					return err
				}
				if at++; at == len(sections) {
					return fmt.Errorf("section %q is not known, or stands in the wrong place", name)
				}
			}
			rows = append(rows, row)
		}
		if err := flush(); err != nil {
			return err
		}
		if err := sections[at].end(ctx, tx); err != nil {
			return err
		}
		if _, err := tx.Exec(ctx, `
			select setval(pg_get_serial_sequence('changes', 'number'),
				greatest(1, (select max(number) from changes)))`); err != nil {
			return err
		}
		if _, err := tx.Exec(ctx, fillHolders); err != nil {
			return err
		}
		y, _, err := yardstick(ctx, tx)
		if err == nil {
			err = recomputeAll(ctx, tx, y)
		}
		if err == nil {
			err = s.freshenResting(ctx, tx, nil)
		}
		if err == nil {
			_, err = addCameBack(ctx, tx, nil)
		}
		if err == nil {
			_, err = s.freshenFirmware(ctx, tx, nil) // what is imported is no news
		}
		if err != nil {
			return err
		}
		return record(ctx, tx, Act{Action: "catalogue.imported", Subject: CatalogueFormat})
	})
}

// makeRoom readies an installation that is new, and not quite empty, for rows of
// a section.
func makeRoom(ctx context.Context, tx pgx.Tx, section string, rows []json.RawMessage) error {
	if len(rows) == 0 {
		return nil
	}
	switch section {
	case "settings":
		_, err := tx.Exec(ctx, `
			delete from settings where key in (select x ->> 'key' from unnest($1::jsonb[]) x)`, rows)
		return err
	case "people":
		return renameClashing(ctx, tx, rows)
	}
	return nil
}

// end does what is to be done once all rows of a section are written.
func (p section) end(ctx context.Context, tx pgx.Tx) error {
	if p.then == "" {
		return nil
	}
	if _, err := tx.Exec(ctx, p.then); err != nil {
		return fmt.Errorf("section %s: %w", p.name, err)
	}
	return nil
}

// renameClashing gives people who come in, and whose login somebody here has,
// another one.
func renameClashing(ctx context.Context, tx pgx.Tx, rows []json.RawMessage) error {
	have, err := tx.Query(ctx, `select login from people`)
	if err != nil {
		return err
	}
	logins, err := pgx.CollectRows(have, pgx.RowTo[string])
	if err != nil {
		return err
	}
	for i, raw := range rows {
		var row map[string]json.RawMessage
		var login string
		if err := json.Unmarshal(raw, &row); err != nil {
			return fmt.Errorf("section people: %w", err)
		}
		if json.Unmarshal(row["login"], &login) != nil || !slices.Contains(logins, login) {
			continue
		}
		if row["login"], err = json.Marshal(login + "-imported"); err != nil {
			return err
		}
		if rows[i], err = json.Marshal(row); err != nil {
			return err
		}
	}
	return nil
}

// insert writes rows of a section, which are JSON of its columns.
func (p section) insert(ctx context.Context, tx pgx.Tx, rows []json.RawMessage) error {
	if len(rows) == 0 {
		return nil
	}
	if err := p.checkSlugs(rows); err != nil {
		return err
	}
	raw, err := json.Marshal(rows)
	if err != nil {
		return fmt.Errorf("section %s: %w", p.name, err)
	}
	columns, values := []string{p.columns}, strings.Split(p.columns, ", ")
	for i, column := range values {
		if was, ok := p.older[column]; ok {
			values[i] = "coalesce(" + column + ", " + was + ")"
		}
	}
	for _, column := range sortedKeys(p.plus) {
		columns, values = append(columns, column), append(values, p.plus[column])
	}
	into := cmp.Or(p.into, p.name)
	// Attachments have no order to refer to themselves by, changes may.
	_, err = tx.Exec(ctx, `
		insert into `+into+` (`+strings.Join(columns, ", ")+`)
		overriding system value
		select `+strings.Join(values, ", ")+`
		from jsonb_populate_recordset(null::`+into+`, $1::jsonb)`, string(raw))
	if err != nil {
		return fmt.Errorf("section %s: %w", p.name, err)
	}
	return nil
}

// GoodSlug reports whether a slug is one that Slug could have made: it stands
// in addresses and becomes the name of a folder.
func GoodSlug(slug string) bool { return len(slug) <= 200 && goodSlug.MatchString(slug) }

var goodSlug = regexp.MustCompile(`^[a-z0-9]+(-[a-z0-9]+)*$`)

// checkSlugs refuses rows whose slugs nothing here has made.
func (p section) checkSlugs(rows []json.RawMessage) error {
	if !slices.Contains([]string{"makers", "models", "profiles"}, p.name) {
		return nil
	}
	for _, row := range rows {
		var r struct {
			Slug string `json:"slug"`
		}
		if err := json.Unmarshal(row, &r); err != nil {
			return fmt.Errorf("section %s: %w", p.name, err)
		}
		if !GoodSlug(r.Slug) {
			return fmt.Errorf("section %s: %q is no slug: lower-case letters and digits, with hyphens between", p.name, r.Slug)
		}
	}
	return nil
}

func sortedKeys(m map[string]string) []string {
	keys := make([]string, 0, len(m))
	for k := range m {
		keys = append(keys, k)
	}
	slices.Sort(keys)
	return keys
}
