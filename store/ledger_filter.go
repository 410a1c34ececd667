package store

import (
	"fmt"
	"slices"
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
	// words is whether one of them looks into package_words.
	words bool
	// short is whether one looks for less than three letters, which no index has.
	short bool
	// forgives is whether one asks whether a word is written so anywhere at all.
	forgives bool
	// reads are the tables that terms look into beside those of ledgerRows.
	reads []string
	// since is whether one asks what changed since a moment: mostly so long before now,
	// which is never asked again.
	since bool
	// ofModel is whether the scope is a model or one of its builds.
	ofModel bool
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

// word is the condition that a package is found by a word: in its names, or in
// what people say that it does unless the word is shorter than three letters. A
// word that is written like that nowhere in the catalogue is taken for a typing
// error. The columns names and said are those of package_words.
func (c *conditions) word(w filter.Word) string {
	written, alike := c.found(w)
	if alike != "" {
		written += " or " + alike
	}
	return "(" + written + ")"
}

// found are the two halves of word: that it is written there, and that something
// like it is, while it is written nowhere; "" where no typing error can be told.
func (c *conditions) found(w filter.Word) (written, alike string) {
	c.words = true
	like := "lower(" + c.arg("%"+escapeLike(w.Text)+"%") + ")"
	if utf8.RuneCountInString(w.Text) < 3 {
		c.short = true
		return "names like " + like, ""
	}
	written = fmt.Sprintf("names like %[1]s or said like %[1]s", like)
	if !w.Exact && forgivable(w.Text) {
		c.forgives = true
		// Counting takes the index, where looking whether one exists would go
		// through all packages.
		alike = fmt.Sprintf(`(select count(*) from package_words x where x.names like %[2]s or x.said like %[2]s) = 0
			and lower(%[1]s::text) <<%% names`,
			c.arg(w.Text), like)
	}
	return written, alike
}

// foundAlone selects columns of package_words by a filter of words alone. Of a lone
// word what is like it is looked for only where it is written nowhere.
func (c *conditions) foundAlone(columns string, n filter.Node) string {
	from := "select " + columns + " from package_words where "
	if w, lone := n.(filter.Word); lone {
		written, alike := c.found(w)
		if alike == "" {
			return from + written
		}
		return from + written + " union all " + from + alike
	}
	return from + c.where(n)
}

// fit tells how well a row fits what somebody looks for by name: 0 where its
// name, a label or an alias is exactly that, 1 where one of them, or a part of
// the name, begins with it, else 2.
func (c *conditions) fit(phrase string) string {
	exact := escapeLike(phrase)
	return fmt.Sprintf(`case
		when names like lower(%s) then 0
		when names like any(array[lower(%s), lower(%s)]) then 1
		else 2 end`, c.arg("%\n"+exact+"\n%"), c.arg("%\n"+exact+"%"), c.arg("%."+exact+"%"))
}

// byWordsAlone reports whether a filter has no terms: what fits it is found in
// package_words.
func byWordsAlone(n filter.Node) bool {
	each := func(nodes []filter.Node) bool {
		return !slices.ContainsFunc(nodes, func(n filter.Node) bool { return !byWordsAlone(n) })
	}
	switch n := n.(type) {
	case filter.Word:
		return true
	case filter.And:
		return each(n)
	case filter.Or:
		return each(n)
	case filter.Not:
		return byWordsAlone(n.Of)
	}
	return false
}

// narrowing is a condition on the words w of a package that every row fits
// which the filter lets through. It is "" where the filter has no such words.
func (c *conditions) narrowing(n filter.Node) string {
	var parts []string
	switch n := n.(type) {
	case filter.Word:
		return c.word(n)
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

// fieldConditions write the condition of each field of the language over the
// rows of ledgerRows, here called seen. Whatever its values are, a term is one
// condition: what it looks up is looked up once, for all of them together.
var fieldConditions = map[string]func(c *conditions, t filter.Term) string{
	"load":     orderedCondition,
	"standing": orderedCondition,
	"origin": func(c *conditions, t filter.Term) string {
		return fmt.Sprintf("origin = any(%s::text[])", c.arg(t.Values))
	},
	"graded": func(c *conditions, t filter.Term) string {
		return fmt.Sprintf("(case when by_suggestion then 'no' else 'yes' end) = any(%s::text[])", c.arg(t.Values))
	},
	"ceiling": func(c *conditions, t filter.Term) string {
		return fmt.Sprintf("ceiling %s %s::float8", comparison[t.Op], c.arg(t.Number))
	},
	"trials": func(c *conditions, t filter.Term) string {
		return fmt.Sprintf("phones %s %s::float8", comparison[t.Op], c.arg(t.Number))
	},
	"builds": func(c *conditions, t filter.Term) string {
		return fmt.Sprintf("(select p.builds from packages p where p.id = seen.id) %s %s::float8", comparison[t.Op], c.arg(t.Number))
	},
	"outcome": func(c *conditions, t filter.Term) string { return someTrial("outcome", c.arg(t.Values)) },
	"method":  func(c *conditions, t filter.Term) string { return someTrial("method", c.arg(t.Values)) },
	"back": func(c *conditions, t filter.Term) string {
		persistence := make([]string, len(t.Values))
		for i, v := range t.Values {
			persistence[i] = map[string]string{"restart": "back-after-restart", "update": "back-after-update", "never": "held"}[v]
		}
		return someTrial("persistence", c.arg(persistence))
	},
	"changed": func(c *conditions, t filter.Term) string {
		since := fmt.Sprintf("exists (select from history h where h.package_id = seen.id and h.at >= %s)", c.arg(t.Since))
		if t.Op == filter.Less || t.Op == filter.LessOrEqual {
			return "not " + since
		}
		return since
	},
	"name": func(c *conditions, t filter.Term) string { return "name ilike any(" + c.likes(t.Values) + ")" },
	"label": func(c *conditions, t filter.Term) string {
		return "exists (select from labels l where l.package_id = seen.id and l.language <> '' and l.label ilike any(" + c.likes(t.Values) + "))"
	},
	"alias": func(c *conditions, t filter.Term) string {
		return "exists (select from labels l where l.package_id = seen.id and l.language = '' and l.label ilike any(" + c.likes(t.Values) + "))"
	},
	"function": func(c *conditions, t filter.Term) string {
		return fmt.Sprintf(
			"exists (select from claims k where k.package_id = seen.id and k.field = 'functions' and k.value ?| %s::text[])",
			c.arg(each(t.Values, strings.ToLower)),
		)
	},
	"role": func(c *conditions, t filter.Term) string {
		name := func(v string) string { return strings.ToUpper(strings.ReplaceAll(v, "-", "_")) }
		return fmt.Sprintf("seen.id in (select h.package_id from role_holders h where h.role = any(%s::text[]))", c.arg(each(t.Values, name)))
	},
	"icon": func(c *conditions, t filter.Term) string {
		return fmt.Sprintf("(case icon when '' then 'unknown' else icon end) = any(%s::text[])", c.arg(t.Values))
	},
	"maker": func(c *conditions, t filter.Term) string { return c.shippedBySome("m.name", c.likes(t.Values)) },
	"model": func(c *conditions, t filter.Term) string { return c.shippedBySome("d.name", c.likes(t.Values)) },
	// In the scope of a model its own builds are meant.
	"build": func(c *conditions, t filter.Term) string {
		own := ""
		if c.ofModel {
			own = " and b.model_id = @model"
		}
		return `seen.id in (select x.package_id
				from builds b
				join presence x on x.build_id = b.id
				where trim(b.carrier || ' ' || b.version) ilike any(` + c.likes(t.Values) + `)` + own + `)`
	},
	"memory":  func(c *conditions, t filter.Term) string { return c.uses("u.memory", t) },
	"wakeups": func(c *conditions, t filter.Term) string { return c.uses("u.wakeups", t) },
	"starts": func(c *conditions, t filter.Term) string {
		return fmt.Sprintf(`seen.id in (select u.package_id
				from package_uses u
				where %s and (case when u.processes > 0 then 'yes' else 'no' end) = any(%s::text[]))`,
			usedInScope, c.arg(t.Values))
	},
	"in": func(c *conditions, t filter.Term) string {
		return fmt.Sprintf(`seen.id in (select x.package_id
				from profiles f
				join releases r on r.profile_id = f.id
				join release_packages x on x.release_id = r.id
			where r.state = 'current' and (f.slug ilike any(%[1]s) or f.name ilike any(%[1]s)))`, c.likes(t.Values))
	},
}

// fieldReads are the tables that the conditions of fields look into beside those that
// every row of the Ledger is made of, as touched names them.
var fieldReads = map[string][]string{
	"outcome": {"trials"},
	"method":  {"trials"},
	"back":    {"trials"},
	"label":   {"labels"},
	"alias":   {"labels"},
	"role":    {"role_holders"},
	"maker":   {"shipped_by"},
	"model":   {"shipped_by"},
	"build":   {"builds", "presence"},
	"in":      {"profiles", "releases", "release_packages"},
}

// usedInScope are the rows u of package_uses of models in the scope.
const usedInScope = `u.of_model and (@maker = ` + everywhereID + `::uuid or u.place = @model
				or @model = ` + everywhereID + `::uuid
					and u.place in (select id from models where maker_id = @maker))`

// uses is the condition that phones of some model in the scope attribute to a package
// what a term asks for.
func (c *conditions) uses(column string, t filter.Term) string {
	return fmt.Sprintf(`seen.id in (select u.package_id
				from package_uses u
				where %s and %s %s %s::float8)`, usedInScope, column, comparison[t.Op], c.arg(t.Number))
}

func (c *conditions) term(t filter.Term) string {
	condition, ok := fieldConditions[t.Field.Name]
	if !ok {
		panic("the field " + t.Field.Name + " has no condition; TestFields would have told") // the language is this program's own
	}
	c.reads = append(c.reads, fieldReads[t.Field.Name]...)
	c.since = c.since || t.Field.Name == "changed"
	return condition(c, t)
}

// orderedCondition is that of a column whose values are the field's choices.
func orderedCondition(c *conditions, t filter.Term) string {
	if t.Op == filter.Is {
		return fmt.Sprintf("%s = any(%s::text[])", t.Field.Name, c.arg(t.Values))
	}
	return fmt.Sprintf("array_position(%s::text[], %s) - 1 %s %s::int", c.arg(t.Field.Choices), t.Field.Name, comparison[t.Op], c.arg(int(t.Number)))
}

func someTrial(column, values string) string {
	return fmt.Sprintf("exists (select from trials t where t.package_id = seen.id and t.%s = any(%s::text[]))", column, values)
}

// shippedBySome is the condition that a model ships a package whose name, or its
// maker's, holds something. Of a model's few packages each is looked up until one
// is found; of all it is asked the other way round.
func (c *conditions) shippedBySome(column, likes string) string {
	found := fmt.Sprintf(`select d.id
			from models d
			join makers m on m.id = d.maker_id
			where %s ilike any(%s)`, column, likes)
	if c.ofModel {
		return `exists (select from shipped_by x
			where x.package_id = seen.id and x.model_id = any(array(` + found + `)) offset 0)`
	}
	return `seen.id in (select x.package_id from shipped_by x where x.model_id in (` + found + `))`
}

// likes is the parameter that has a pattern for each value: whatever holds it.
func (c *conditions) likes(values []string) string {
	return c.arg(each(values, func(v string) string { return "%" + escapeLike(v) + "%" })) + "::text[]"
}

func each(values []string, f func(string) string) []string {
	out := make([]string, len(values))
	for i, v := range values {
		out[i] = f(v)
	}
	return out
}
