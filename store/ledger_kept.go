package store

import (
	"bytes"
	"cmp"
	"context"
	"encoding/gob"
	"fmt"
	"slices"
	"strings"

	"github.com/google/uuid"
)

// keptLedgers bounds what a process keeps of pages of the Ledger. One of 500 rows
// takes some 20 kB.
const keptLedgers = 6_000_000

// keptShipped bounds what a process keeps of which packages models ship. Those of one
// are some 7 kB.
const keptShipped = 2_000_000

// keeps reports whether it is known what a page is made of, and it is asked for
// again: a model's, and what begins like what others type.
func (q LedgerQuery) keeps() bool {
	if q.Scope.Model == nil {
		return q.Filter != nil && byWordsAlone(q.Filter)
	}
	return true
}

// wholeLedger bounds the rows of a model's Ledger that is kept as a whole, for all of
// its pages. A model ships some hundred packages.
const wholeLedger = 3000

// ledgerOnce is pageOf, kept.
func (s *Store) ledgerOnce(ctx context.Context, q LedgerQuery, st ledgerStatement) (ledgerPage, error) {
	if q.Scope.Model == nil {
		return s.keptLedger(ctx, q, st)
	}
	whole := q
	whole.After, whole.Limit = nil, wholeLedger
	of, err := whole.statement(nil)
	if err != nil {
		return ledgerPage{}, err
	}
	page, err := s.keptLedger(ctx, whole, of)
	if err != nil || page.found > wholeLedger {
		if err == nil {
			page, err = s.pageOf(ctx, q, st)
		}
		return page, err
	}
	if q.After != nil {
		at, there := slices.BinarySearchFunc(page.rows, *q.After, func(r LedgerRow, after LedgerCursor) int {
			return comparePlaces(LedgerCursor{r.Group, r.Order, r.Name}, after)
		})
		if there {
			at++
		}
		page.rows = page.rows[at:]
	}
	page.rows = page.rows[:min(q.Limit, len(page.rows))]
	return page, nil
}

// comparePlaces orders rows as statements of the Ledger do.
func comparePlaces(a, b LedgerCursor) int {
	return cmp.Or(strings.Compare(a.Group, b.Group), cmp.Compare(a.Order, b.Order), strings.Compare(a.Name, b.Name))
}

func (s *Store) keptLedger(ctx context.Context, q LedgerQuery, st ledgerStatement) (ledgerPage, error) {
	key := st.page + fmt.Sprint(st.args)
	for _, b := range q.Columns {
		key += b.ID.String()
	}
	return s.ledgers.read(ctx, s.pool, key, making[ledgerPage]{
		anew: func() (page ledgerPage, of basis, err error) {
			var ships rowIDs
			if m := q.Scope.Model; m != nil {
				if ships, err = s.shipped(ctx, s.pool, m.ID); err != nil {
					return page, nil, err
				}
			}
			page, err = s.pageOf(ctx, q, st)
			return page, q.basis(st, page, ships), err
		},
		patch: func(before ledgerPage, of basis, changed changes) (ledgerPage, basis, error) {
			if q.Scope.Model == nil || len(changed.models)+len(changed.builds) > 0 {
				return before, nil, nil
			}
			page, ok, err := s.patchLedger(ctx, q, before, changed.packages)
			if !ok {
				of = nil
			}
			return page, of, err
		},
	})
}

// patchLedger reads the rows of some packages again of a model's Ledger that is kept
// as a whole.
func (s *Store) patchLedger(ctx context.Context, q LedgerQuery, page ledgerPage, packages []uuid.UUID) (ledgerPage, bool, error) {
	if page.found != len(page.rows) {
		return page, false, nil
	}
	st, err := q.statement(packages)
	if err != nil {
		return page, false, err
	}
	if err := s.readyFigures(ctx, q.Scope.Target, packages); err != nil {
		return page, false, err
	}
	some, err := s.pageOf(ctx, q, st)
	if err != nil {
		return page, false, err
	}
	page.rows = slices.DeleteFunc(page.rows, func(r LedgerRow) bool { return slices.Contains(packages, r.ID) })
	page.rows = append(page.rows, some.rows...)
	slices.SortFunc(page.rows, func(a, b LedgerRow) int {
		return comparePlaces(LedgerCursor{a.Group, a.Order, a.Name}, LedgerCursor{b.Group, b.Order, b.Name})
	})
	page.found = len(page.rows)
	return page, page.found <= q.Limit, nil
}

// What touched has by a package's id: of rowsReadOf every row of the Ledger is made,
// into termsReadOf only terms of a filter look.
var (
	rowsReadOf  = []string{"packages", "stamps", "package_words", "package_uses", "claims", "edits"}
	termsReadOf = []string{"trials", "labels", "role_holders"}
)

// basis is what a page is made of. A model's is made of the packages that it ships,
// and what is found everywhere by words alone of those that it shows: which they are
// rests on package_words.
func (q LedgerQuery) basis(st ledgerStatement, page ledgerPage, ships rowIDs) basis {
	of := basisOf("makers", "models", "builds", "shipped_by", "figures")
	of["presence"] = q.columnsRead()
	packages := anyRow
	switch {
	case q.Scope.Model != nil:
		packages = ships
		of["shipped_by"], of["builds"] = rowIDs{q.Scope.Model.ID}, rowIDs{q.Scope.Model.ID}
	case st.byWords:
		packages = rowIDs{}
		for _, r := range page.rows {
			packages = append(packages, r.ID)
		}
		packages = inOrder(packages)
	}
	of.packages(packages, rowsReadOf...)
	for _, table := range st.reads {
		if slices.Contains(termsReadOf, table) {
			of[table] = packages
		} else {
			of[table] = anyRow
		}
	}
	if st.byWords || st.forgives {
		of["package_words"] = anyRow
	}
	return of
}

// columnsRead are the builds whose presence a page shows, or is made of.
func (q LedgerQuery) columnsRead() rowIDs {
	builds := rowIDs{}
	for _, b := range q.Columns {
		builds = append(builds, b.ID)
	}
	if q.Scope.Build != nil {
		builds = append(builds, q.Scope.Build.ID)
	}
	return inOrder(builds)
}

// encodedPage is a ledgerPage as it is kept: rows have no lists, of which gob does
// not tell those that are empty from none.
type encodedPage struct {
	Rows         []LedgerRow
	Found, Total int
}

func encodeLedger(p ledgerPage) ([]byte, error) {
	var b bytes.Buffer
	err := gob.NewEncoder(&b).Encode(encodedPage{p.rows, p.found, p.total})
	return b.Bytes(), err
}

func decodeLedger(raw []byte) (ledgerPage, error) {
	p := encodedPage{Rows: []LedgerRow{}}
	err := gob.NewDecoder(bytes.NewReader(raw)).Decode(&p)
	return ledgerPage{rows: p.Rows, found: p.Found, total: p.Total}, err
}
