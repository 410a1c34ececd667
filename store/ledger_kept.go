package store

import (
	"bytes"
	"context"
	"encoding/gob"
	"fmt"
)

// keptLedgers bounds what a process keeps of pages of the Ledger. One of 500 rows
// takes some 20 kB.
const keptLedgers = 6_000_000

// ledgerOf are the tables that a page is made of whose filter has words alone.
var ledgerOf = []string{"packages", "package_words", "package_uses", "claims", "edits", "makers", "models", "builds", "presence", "shipped_by", "figures"}

// keeps reports whether a page is made of ledgerOf alone, and is asked for again:
// a model's, and what begins like what others type.
func (q LedgerQuery) keeps() bool {
	return q.Filter == nil && q.Scope.Model != nil || q.Filter != nil && byWordsAlone(q.Filter)
}

// ledgerOnce is pageOf, kept.
func (s *Store) ledgerOnce(ctx context.Context, q LedgerQuery, st ledgerStatement) (ledgerPage, error) {
	of := st.page + fmt.Sprint(st.args)
	for _, b := range q.Columns {
		of += b.ID.String()
	}
	return s.ledgers.read(ctx, s.pool, of, ledgerOf, func() (ledgerPage, error) { return s.pageOf(ctx, q, st) })
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
