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

// ledgerOnce is pageOf, kept as packed as it is: unpacking takes a tenth of what
// reading does, and ten times as many stay.
func (s *Store) ledgerOnce(ctx context.Context, q LedgerQuery, st ledgerStatement) (page ledgerPage, err error) {
	of := st.page + fmt.Sprint(st.args)
	for _, b := range q.Columns {
		of += b.ID.String()
	}
	made := false
	packed, err := s.ledgers.read(ctx, s.pool, of, ledgerOf, packedBytes, func() ([]byte, error) {
		var err error
		if page, err = s.pageOf(ctx, q, st); err != nil {
			return nil, err
		}
		made = true
		return page.pack()
	})
	if err != nil || made {
		return page, err
	}
	return unpackLedger(packed)
}

// packedPage is a ledgerPage as it is kept.
type packedPage struct {
	Rows         []LedgerRow
	Found, Total int
}

func (p ledgerPage) pack() ([]byte, error) {
	var b bytes.Buffer
	err := gob.NewEncoder(&b).Encode(packedPage{p.rows, p.found, p.total})
	return pack(b.Bytes(), err)
}

func unpackLedger(packed []byte) (ledgerPage, error) {
	p := packedPage{Rows: []LedgerRow{}}
	raw, err := unpack(packed)
	if err == nil {
		err = gob.NewDecoder(bytes.NewReader(raw)).Decode(&p)
	}
	return ledgerPage{rows: p.Rows, found: p.Found, total: p.Total}, err
}
