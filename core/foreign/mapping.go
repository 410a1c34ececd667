package foreign

import (
	"errors"
	"fmt"
	"strings"

	"roster/core/android"
	"roster/core/change"
	"roster/core/evidence"
)

// Mapping says what the columns of a list mean, as a person decided.
type Mapping struct {
	// Title names the list; Link is where it can be read.
	Title string `json:"title" maxLength:"200"`
	Link  string `json:"link,omitempty" maxLength:"2000"`
	// Name is the column of package names; the others may be "".
	Name  string `json:"name" maxLength:"4100"`
	Grade string `json:"grade,omitempty" maxLength:"4100"`
	Words string `json:"words,omitempty" maxLength:"4100"`
	// LinkColumn has an address for each entry; Label what people call it.
	LinkColumn string `json:"linkColumn,omitempty" maxLength:"4100"`
	Label      string `json:"label,omitempty" maxLength:"4100"`
	// Grades turns the other side's grades into Roster's; one that is not
	// there is quoted and means nothing.
	Grades map[string]evidence.Load `json:"grades,omitempty" nullable:"false"`
}

// Entry is what the list says of one package.
type Entry struct {
	Place  string
	Name   android.PackageName
	Source change.SourceValue
	// Label is another name for it, "" for none.
	Label string
}

// Check reports what is wrong with a mapping of the table.
func (m Mapping) Check(t *Table) error {
	if strings.TrimSpace(m.Title) == "" {
		return errors.New("give the list a name, so that people know where it came from")
	}
	if m.Link == "" && m.LinkColumn == "" {
		return errors.New("say where the list can be read: its address, or the column that has one")
	}
	if t.Column(m.Name) < 0 {
		return errors.New("choose the column with the package names")
	}
	for what, column := range map[string]string{"grades": m.Grade, "words": m.Words, "addresses": m.LinkColumn, "labels": m.Label} {
		if column != "" && t.Column(column) < 0 {
			return fmt.Errorf("there is no column %q for the %s", android.Printable(column, 60), what)
		}
	}
	for theirs, ours := range m.Grades {
		if ours != "" && !ours.Valid() {
			return fmt.Errorf("%q is mapped to %q, which is no load", android.Printable(theirs, 60), ours)
		}
	}
	return nil
}

// Entries reads the table by the mapping. What can't be an entry is told with
// its place: names that break the grammar, and names that stand twice, of
// which the first counts.
func (m Mapping) Entries(t *Table) (entries []Entry, problems []Trouble, err error) {
	if err := m.Check(t); err != nil {
		return nil, nil, err
	}
	name, grade, words, link, label := t.Column(m.Name), t.Column(m.Grade), t.Column(m.Words), t.Column(m.LinkColumn), t.Column(m.Label)
	cell := func(r Line, column int) string {
		if column < 0 {
			return ""
		}
		return r.Cells[column]
	}
	first := map[android.PackageName]string{}
	for _, r := range t.Rows {
		parsed, err := android.ParsePackageName(cleanName(r.Cells[name]))
		if err != nil {
			problems = append(problems, Trouble{r.Place, err.Error()})
			continue
		}
		if before, twice := first[parsed]; twice {
			problems = append(problems, Trouble{r.Place, fmt.Sprintf("%s stands in %s already; that one counts", parsed, before)})
			continue
		}
		first[parsed] = r.Place
		e := Entry{Place: r.Place, Name: parsed, Label: oneLine(cell(r, label))}
		e.Source = change.SourceValue{Title: strings.TrimSpace(m.Title), Link: m.Link, Claim: "about", Load: m.Grades[cell(r, grade)]}
		if address := cell(r, link); address != "" {
			e.Source.Link = address
		}
		e.Source.Quote = quoted(cell(r, grade), cell(r, words))
		entries = append(entries, e)
	}
	return entries, problems, nil
}

// quoted is what the list says in its own words: its grade, then the rest.
func quoted(grade, words string) string {
	switch {
	case grade == "":
		return words
	case words == "":
		return grade
	}
	return grade + ": " + words
}

// cleanName takes off what lists put around names.
func cleanName(s string) string {
	return strings.TrimPrefix(strings.Trim(strings.TrimSpace(s), "`'\"-*• "), "package:")
}

func oneLine(s string) string { return android.Printable(strings.Join(strings.Fields(s), " "), 200) }
