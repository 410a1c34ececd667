package store

import (
	"bytes"
	"context"
	"encoding/gob"
	"fmt"
	"slices"

	"github.com/google/uuid"
)

// keptLedgers bounds what a process keeps of pages of the Ledger. One of 500 rows
// takes some 30 kB.
const keptLedgers = 6_000_000

// keptShipped bounds what a process keeps of which packages models ship. Those of one
// are some 7 kB.
const keptShipped = 2_000_000

// mostKeptRows bounds the rows of a page that is kept of all models: a page of an
// export has more.
const mostKeptRows = 500

// keeps reports whether it is known what a page is made of, and it is asked for
// again: a model's, and what begins like what others type. Who reads on to the end,
// as exports do, asks for each page once: kept, all of them would be read again after
// each write.
func (q LedgerQuery) keeps() bool {
	if q.Scope.Model == nil {
		return q.Filter != nil && byWordsAlone(q.Filter) && q.After == nil && q.Limit <= mostKeptRows
	}
	return true
}

// wholeLedger bounds the rows of a model's Ledger that is kept as a whole, for all of
// its pages, orders and groupings. A model ships some hundred packages.
const wholeLedger = 3000

// ledgerOnce is pageOf, kept.
func (s *Store) ledgerOnce(ctx context.Context, q LedgerQuery, st ledgerStatement) (ledgerPage, error) {
	if q.Scope.Model == nil {
		return s.keptLedger(ctx, q, st)
	}
	whole := q
	whole.After, whole.Limit, whole.Sort, whole.Group, whole.everyWay = nil, wholeLedger, "name", "none", true
	of, err := whole.statement(nil)
	if err != nil {
		return ledgerPage{}, err
	}
	page, err := s.keptLedger(ctx, whole, of)
	if err == nil && page.found > wholeLedger {
		return s.pageOf(ctx, q, st)
	}
	if err == nil {
		q.arrange(&page)
	}
	return page, err
}

func (s *Store) keptLedger(ctx context.Context, q LedgerQuery, st ledgerStatement) (ledgerPage, error) {
	key := st.page + fmt.Sprint(st.args)
	for _, b := range q.Columns {
		key += b.ID.String()
	}
	s.lately.note(ctx, key, func(ctx context.Context) error {
		_, err := s.keptLedger(ctx, q, st)
		return err
	})
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
		patch: func(before ledgerPage, of basis, changed changes) (page ledgerPage, _ basis, err error) {
			ok := false
			switch {
			case len(changed.models)+len(changed.builds) > 0:
			case q.Scope.Model != nil:
				page, ok, err = s.patchLedger(ctx, q, before, changed.packages)
			case st.byWords:
				page, ok, err = s.patchFound(ctx, q, before, changed.packages)
			}
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
	if err := s.readyFigures(ctx, q.Scope.Target, packages); err != nil {
		return page, false, err
	}
	some, err := s.someRows(ctx, q, packages)
	if err != nil {
		return page, false, err
	}
	patched := ledgerPage{rows: []LedgerRow{}, total: page.total}
	for i, r := range page.rows {
		if !slices.Contains(packages, r.ID) {
			patched.rows, patched.ways = append(patched.rows, r), append(patched.ways, page.ways[i])
		}
	}
	patched.rows, patched.ways = append(patched.rows, some.rows...), append(patched.ways, some.ways...)
	patched.found = len(patched.rows)
	return patched, patched.found <= q.Limit, nil
}

// patchFound reads the rows of some packages again of what was found by words alone:
// neither which they are nor in which order rests on what changed.
func (s *Store) patchFound(ctx context.Context, q LedgerQuery, page ledgerPage, packages []uuid.UUID) (ledgerPage, bool, error) {
	all := LedgerQuery{Scope: q.Scope, Method: q.Method, Columns: q.Columns, Limit: len(packages)}
	some, err := s.someRows(ctx, all, packages)
	if err != nil {
		return page, false, err
	}
	again := map[uuid.UUID]LedgerRow{}
	for _, r := range some.rows {
		again[r.ID] = r
	}
	for i, before := range page.rows {
		if !slices.Contains(packages, before.ID) {
			continue
		}
		r, there := again[before.ID]
		if !there {
			return page, false, nil
		}
		r.Group, r.Order = before.Group, before.Order
		page.rows[i] = r
	}
	return page, true, nil
}

// someRows are rows of some packages.
func (s *Store) someRows(ctx context.Context, q LedgerQuery, packages []uuid.UUID) (ledgerPage, error) {
	st, err := q.statement(packages)
	if err != nil {
		return ledgerPage{}, err
	}
	return s.pageOf(ctx, q, st)
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
	Ways         []rowWays
	Found, Total int
}

func encodeLedger(p ledgerPage) ([]byte, error) {
	var b bytes.Buffer
	err := gob.NewEncoder(&b).Encode(encodedPage{p.rows, p.ways, p.found, p.total})
	return b.Bytes(), err
}

func decodeLedger(raw []byte) (ledgerPage, error) {
	p := encodedPage{Rows: []LedgerRow{}}
	err := gob.NewDecoder(bytes.NewReader(raw)).Decode(&p)
	return ledgerPage{rows: p.Rows, ways: p.Ways, found: p.Found, total: p.Total}, err
}
