package store

import (
	"regexp"
	"slices"
	"testing"
	"time"

	"github.com/jackc/pgx/v5"

	"roster/core/filter"
)

// TestFiltersSayWhatTheyRead holds what kept Ledgers are let go by to what the
// conditions of their filters look into.
func TestFiltersSayWhatTheyRead(t *testing.T) {
	t.Parallel()
	always := append([]string{"models", "makers"}, rowsReadOf...)
	tables := regexp.MustCompile(`\b(?:from|join) (\w+)`)
	for _, f := range filter.Fields {
		value := "x"
		switch f.Kind {
		case filter.Choice, filter.Ordered:
			value = f.Choices[0]
		case filter.Number:
			value = "3"
		case filter.Percent:
			value = "20%"
		case filter.Bytes:
			value = "20MB"
		case filter.Time:
			value = "2w"
		}
		n, err := filter.Parse(f.Name+":"+value, time.Now())
		if err != nil {
			t.Fatal(err)
		}
		c := &conditions{args: pgx.NamedArgs{}, ofModel: true}
		for _, m := range tables.FindAllStringSubmatch(c.where(n), -1) {
			if !c.since && !slices.Contains(always, m[1]) && !slices.Contains(c.reads, m[1]) {
				t.Errorf("%s looks into %s, and does not say so in fieldReads", f.Name, m[1])
			}
		}
	}
}
