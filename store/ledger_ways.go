package store

import (
	"cmp"
	"maps"
	"slices"
	"strings"

	"roster/core/filter"
)

// rowWays are what a row of the Ledger is grouped and ordered by in every way, in
// the order of allGroups and allSorts; last, where a filter has words, how well it
// fits them.
type rowWays struct {
	Groups []string  `db:"groups"`
	Orders []float64 `db:"orders"`
}

var (
	allGroups = slices.Sorted(maps.Keys(Groups))
	allSorts  = slices.Sorted(maps.Keys(Sorts))
)

// sorting is what rows are ordered by, as an expression: in a maker's models what
// rests on a package is known of each row.
func (q LedgerQuery) sorting(name, expression string, c *conditions) string {
	switch {
	case name == ByFit:
		return c.fit(filter.Phrase(q.Filter))
	case name == "resting" && q.Scope.Maker != nil:
		return `-(hard * 100000 + soft)`
	}
	return expression
}

// ways are the columns of rowWays.
func (q LedgerQuery) ways(c *conditions) string {
	var groups, orders []string
	for _, name := range allGroups {
		groups = append(groups, Groups[name])
	}
	for _, name := range allSorts {
		orders = append(orders, q.sorting(name, Sorts[name], c))
	}
	if filter.Phrase(q.Filter) != "" {
		orders = append(orders, q.sorting(ByFit, "", c))
	}
	return `,
					array[` + strings.Join(groups, ", ") + `] as groups,
					array[` + strings.Join(orders, ", ") + `]::float8[] as orders`
}

// arrange makes of all rows, which come in every way, the page that q asks for.
func (q LedgerQuery) arrange(page *ledgerPage) {
	sort, group := q.Arranged()
	by, under := slices.Index(allSorts, sort), slices.Index(allGroups, group)
	if sort == ByFit {
		by = len(allSorts)
	}
	for i, w := range page.ways {
		page.rows[i].Group, page.rows[i].Order = w.Groups[under], w.Orders[by]
	}
	place := func(r LedgerRow) LedgerCursor { return LedgerCursor{r.Group, r.Order, r.Name} }
	slices.SortFunc(page.rows, func(a, b LedgerRow) int { return comparePlaces(place(a), place(b)) })
	if q.After != nil {
		at, there := slices.BinarySearchFunc(page.rows, *q.After, func(r LedgerRow, after LedgerCursor) int {
			return comparePlaces(place(r), after)
		})
		if there {
			at++
		}
		page.rows = page.rows[at:]
	}
	page.rows, page.ways = page.rows[:min(q.Limit, len(page.rows))], nil
}

// comparePlaces orders rows as statements of the Ledger do.
func comparePlaces(a, b LedgerCursor) int {
	return cmp.Or(strings.Compare(a.Group, b.Group), cmp.Compare(a.Order, b.Order), strings.Compare(a.Name, b.Name))
}
