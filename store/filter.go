package store

import (
	"fmt"
	"strings"
	"unicode"
	"unicode/utf8"

	"github.com/jackc/pgx/v5"

	"roster/core/filter"
)

// forgiving is how alike, by pg_trgm's strict word similarity, a word and a
// part of a name must be to pass for a typing error: "camra" and "Camera" are
// 0.44 alike, "music" and "Muscle" 0.3.
const forgiving = "0.39"

// conditions turns a filter into a condition on the rows of the Ledger, whose
// columns are those of ledgerRows. Everything that a person wrote becomes a
// parameter.
type conditions struct {
	args pgx.NamedArgs
	n    int
}

// where writes the condition of a node; "true" for no node.
func (c *conditions) where(n filter.Node) string {
	list := func(nodes []filter.Node, word, none string) string {
		if len(nodes) == 0 {
			return none
		}
		parts := make([]string, len(nodes))
		for i, n := range nodes {
			parts[i] = c.where(n)
		}
		return "(" + strings.Join(parts, word) + ")"
	}
	switch n := n.(type) {
	case filter.And:
		return list(n, " and ", "true")
	case filter.Or:
		return list(n, " or ", "false")
	case filter.Not:
		return "not " + c.where(n.Of)
	case filter.Word:
		return c.word(n)
	case filter.Term:
		return c.term(n)
	}
	return "true"
}

// arg adds a parameter and returns its place.
func (c *conditions) arg(v any) string {
	c.n++
	name := fmt.Sprintf("f%d", c.n)
	c.args[name] = v
	return "@" + name
}

// said is the text in which people tell what a package does: search finds a
// name by its meaning there.
const said = `k.field in ('description', 'functions') and (k.value #>> '{}')`

func (c *conditions) word(w filter.Word) string {
	like, similar := c.wordArgs(w)
	return fmt.Sprintf(`(name ilike %[1]s%[2]s or exists (select from labels l where l.package_id = seen.id and (l.label ilike %[1]s%[3]s))
		or exists (select from claims k where k.package_id = seen.id and %[4]s ilike %[1]s))`, like, similar("name"), similar("l.label"), said)
}

// wordArgs are the parameters that a word is looked for with; similar writes
// the condition that forgives typing errors in a column, if it can be told.
func (c *conditions) wordArgs(w filter.Word) (like string, similar func(column string) string) {
	like = c.arg("%" + escapeLike(w.Text) + "%")
	if w.Exact || !forgivable(w.Text) {
		return like, func(string) string { return "" }
	}
	word := c.arg(w.Text)
	return like, func(column string) string { return fmt.Sprintf(" or %s::text <<%% %s", word, column) }
}

// narrowing is a condition on packages p that every row fits which the filter
// lets through: the words in it, looked up in the indexes of the whole
// catalogue. It is "" where the filter has no such words.
func (c *conditions) narrowing(n filter.Node) string {
	var parts []string
	switch n := n.(type) {
	case filter.Word:
		like, similar := c.wordArgs(n)
		return fmt.Sprintf(`p.id in (select id from packages where name ilike %[1]s%[2]s union select package_id from labels where label ilike %[1]s%[3]s
			union select k.package_id from claims k where %[4]s ilike %[1]s)`, like, similar("name"), similar("label"), said)
	case filter.And:
		for _, part := range n {
			if sql := c.narrowing(part); sql != "" {
				parts = append(parts, sql)
			}
		}
		return strings.Join(parts, " and ")
	case filter.Or:
		for _, part := range n {
			sql := c.narrowing(part)
			if sql == "" {
				return ""
			}
			parts = append(parts, "("+sql+")")
		}
		if len(parts) > 0 {
			return "(" + strings.Join(parts, " or ") + ")"
		}
	}
	return ""
}

// forgivable reports whether a typing error can be told in a word: letters
// alone, and enough of them.
func forgivable(word string) bool {
	return utf8.RuneCountInString(word) >= 4 && strings.IndexFunc(word, func(r rune) bool { return !unicode.IsLetter(r) }) < 0
}

var comparison = map[filter.Op]string{filter.Is: "=", filter.Less: "<", filter.LessOrEqual: "<=", filter.More: ">", filter.MoreOrEqual: ">="}

func (c *conditions) term(t filter.Term) string {
	op := comparison[t.Op]
	switch t.Field.Name {
	case "load", "standing":
		if t.Op == filter.Is {
			return fmt.Sprintf("%s = any(%s::text[])", t.Field.Name, c.arg(t.Values))
		}
		return fmt.Sprintf("array_position(%s::text[], %s) - 1 %s %s::int", c.arg(t.Field.Choices), t.Field.Name, op, c.arg(int(t.Number)))
	case "origin":
		return fmt.Sprintf("origin = any(%s::text[])", c.arg(t.Values))
	case "ceiling":
		return fmt.Sprintf("ceiling %s %s::float8", op, c.arg(t.Number))
	case "graded":
		return fmt.Sprintf("(case when by_suggestion then 'no' else 'yes' end) = any(%s::text[])", c.arg(t.Values))
	case "builds":
		return fmt.Sprintf("(select p.builds from packages p where p.id = seen.id) %s %s::float8", op, c.arg(t.Number))
	case "trials":
		return fmt.Sprintf("phones %s %s::float8", op, c.arg(t.Number))
	case "outcome", "method":
		return fmt.Sprintf("exists (select from trials t where t.package_id = seen.id and t.%s = any(%s::text[]))", t.Field.Name, c.arg(t.Values))
	case "back":
		persistence := make([]string, len(t.Values))
		for i, v := range t.Values {
			persistence[i] = map[string]string{"restart": "back-after-restart", "update": "back-after-update", "never": "held"}[v]
		}
		return fmt.Sprintf("exists (select from trials t where t.package_id = seen.id and t.persistence = any(%s::text[]))", c.arg(persistence))
	case "changed":
		since := fmt.Sprintf("exists (select from history h where h.package_id = seen.id and h.at >= %s)", c.arg(t.Since))
		if t.Op == filter.Less || t.Op == filter.LessOrEqual {
			return "not " + since
		}
		return since
	}
	return c.text(t)
}

// text writes the conditions of fields whose values are words: each value is
// an alternative.
func (c *conditions) text(t filter.Term) string {
	parts := make([]string, len(t.Values))
	for i, v := range t.Values {
		like := func() string { return c.arg("%" + escapeLike(v) + "%") }
		switch t.Field.Name {
		case "name":
			parts[i] = "name ilike " + like()
		case "label":
			parts[i] = "exists (select from labels l where l.package_id = seen.id and l.language <> '' and l.label ilike " + like() + ")"
		case "alias":
			parts[i] = "exists (select from labels l where l.package_id = seen.id and l.language = '' and l.label ilike " + like() + ")"
		case "function":
			parts[i] = "exists (select from claims k where k.package_id = seen.id and k.field = 'functions' and k.value @> to_jsonb(" + c.arg(strings.ToLower(v)) + "::text))"
		case "role":
			parts[i] = fmt.Sprintf(`exists (select from captures k where k.phone_facts @> jsonb_build_object('roles',
				jsonb_build_array(jsonb_build_object('name', %s::text, 'holders', jsonb_build_array(name)))))`, c.arg(strings.ToUpper(strings.ReplaceAll(v, "-", "_"))))
		case "maker", "model":
			column := map[string]string{"maker": "m.name", "model": "d.name"}[t.Field.Name]
			parts[i] = fmt.Sprintf(`seen.id in (select x.package_id from shipped_by x join models d on d.id = x.model_id join makers m on m.id = d.maker_id where %s ilike %s)`, column, like())
		case "build":
			parts[i] = `seen.id in (select x.package_id from presence x join builds b on b.id = x.build_id where trim(b.carrier || ' ' || b.version) ilike ` + like() + `)`
		case "in":
			parts[i] = fmt.Sprintf(`name in (select step ->> 'package' from releases r join profiles f on f.id = r.profile_id,
				jsonb_array_elements(convert_from(r.document, 'utf8')::jsonb -> 'steps') step where r.state = 'current' and (f.slug ilike %[1]s or f.name ilike %[1]s))`, like())
		}
	}
	return "(" + strings.Join(parts, " or ") + ")"
}
