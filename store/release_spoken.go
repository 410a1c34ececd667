package store

import (
	"context"
	"encoding/json"
	"fmt"

	"github.com/jackc/pgx/v5"

	"roster/core/catalog"
	"roster/core/change"
)

// Spoken is what people wrote of packages, in a language.
type Spoken struct {
	// Labels are their names on the screen of a phone in that language, Abouts what
	// they do, which is in English where nobody translated it; both by package.
	Labels, Abouts map[string]string
	// Functions are names of functions by their short words.
	Functions map[string]string
}

// SpokenOf reads what there is of packages in a language, by their names. What
// nobody wrote or translated is left out.
func (s *Store) SpokenOf(ctx context.Context, language string, names []string) (sp Spoken, err error) {
	sp = Spoken{Abouts: map[string]string{}, Functions: map[string]string{}}
	if sp.Labels, err = s.LabelsIn(ctx, language, names); err != nil {
		return sp, err
	}
	rows, err := s.pool.Query(ctx, `
		select k.name, c.field, c.value
		from packages k
		join claims c on c.package_id = k.id
		where k.name = any($1) and c.field in ('description', 'translations') and c.value is not null
			and c.scope_id = `+everywhereID+`
		order by c.field, k.name`, names)
	if err != nil {
		return sp, err
	}
	var name, field string
	var value json.RawMessage
	_, err = pgx.ForEachRow(rows, []any{&name, &field, &value}, func() error {
		if field == string(change.Description) {
			var about string
			err := json.Unmarshal(value, &about)
			sp.Abouts[name] = about
			return err
		}
		var all change.TranslationsValue
		if err := json.Unmarshal(value, &all); err != nil {
			return fmt.Errorf("translations of %s: %w", name, err)
		}
		t := all.In(language)
		if t.Description != "" {
			sp.Abouts[name] = t.Description
		}
		for f, called := range t.Functions {
			sp.Functions[f] = called
		}
		return nil
	})
	return sp, err
}

// Guides lists what people wrote of letting a model's phones listen to a computer,
// the narrowest scope first.
func (s *Store) Guides(ctx context.Context, maker, model string) (lists [][]catalog.Guide, err error) {
	rows, err := s.pool.Query(ctx, `
		select c.value
		from claims c
		where c.field = 'debugging' and c.value is not null and c.scope_id in (
			select `+everywhereID+`
			union all select id from makers where slug = $1
			union all select d.id from models d join makers m on m.id = d.maker_id where m.slug = $1 and d.slug = $2)
		order by `+position(catalog.ScopeKinds, "c.scope_kind")+` desc, c.package_id
		limit 50`, maker, model)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, func(row pgx.CollectableRow) (list []catalog.Guide, err error) {
		var value []byte
		if err := row.Scan(&value); err != nil {
			return nil, err
		}
		return list, json.Unmarshal(value, &list)
	})
}
