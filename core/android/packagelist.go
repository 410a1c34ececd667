package android

import (
	"bytes"
	"errors"
	"fmt"
	"io"
	"strconv"
)

// SectionPackageList names the output of pm list packages in reports.
const SectionPackageList = "pm list packages"

// Listed is one line of pm list packages. Fields that the line does not carry
// are zero.
type Listed struct {
	Name        PackageName
	Path        string
	VersionCode int64
	UID         int
	Installer   string
}

// ReadPackageList reads the output of pm list packages in any of its
// variants: with or without -f, -U, -i and --show-versioncode. A name that
// breaks the platform's grammar is reported and left out. The error is the
// stream's.
func ReadPackageList(r io.Reader) ([]Listed, Report, error) {
	o := &listOutput{report: Report{Section: SectionPackageList}, room: newRoom()}
	err := readAll(r, o)
	return o.list, o.report, err
}

type listOutput struct {
	report Report
	// option is -u, -d, -s, -3 or -e where one was given.
	option string
	list   []Listed
	room   *room
}

func (o *listOutput) about() *Report { return &o.report }

func (o *listOutput) line(n int, line []byte) {
	if o.report.full || len(bytes.TrimSpace(line)) == 0 {
		return
	}
	rest, ok := bytes.CutPrefix(line, []byte("package:"))
	if !ok {
		if len(o.list) == 0 && o.report.refuse(line) {
			return
		}
		why := "expected package:NAME"
		if bytes.HasPrefix(line, []byte("Error:")) {
			why = "the phone refused this form of the command"
		}
		o.report.note(n, line, why)
		return
	}
	entry, err := parseListed(rest)
	if err != nil {
		o.report.note(n, line, err.Error())
		return
	}
	if len(o.list) == maxPackages || !o.room.take(len(line)) {
		o.report.overflow()
		return
	}
	o.list = append(o.list, entry)
}

func (o *listOutput) end(whole bool) {
	// A phone with nothing switched off answers -d with nothing at all; one
	// that refuses an option is asked in simpler words.
	none := o.option == "-d" && o.report.Lines == 0
	switch {
	case o.report.Refused != "":
		o.report.Complete = true
	case len(o.list) == 0 && !none:
		o.report.Missing = "no package was listed"
	case !whole:
		o.report.Missing = "the output ends in the middle of a line"
	default:
		o.report.Complete = true
	}
}

func parseListed(rest []byte) (Listed, error) {
	var entry Listed
	main, extras, _ := bytes.Cut(rest, []byte(" "))
	// A path may hold spaces and "=": the name follows the last "=" that a
	// word with a valid name follows, so extras are looked for from there.
	if at := bytes.LastIndexByte(main, '='); at >= 0 {
		entry.Path = Printable(string(main[:at]), 1000)
		main = main[at+1:]
	} else if bytes.HasPrefix(rest, []byte("/")) {
		at := bytes.LastIndex(rest, []byte(".apk="))
		if at < 0 {
			return entry, errors.New("a path without =NAME after it")
		}
		entry.Path = Printable(string(rest[:at+4]), 1000)
		main, extras, _ = bytes.Cut(rest[at+5:], []byte(" "))
	}
	name, err := ParsePackageName(string(main))
	if err != nil {
		return entry, err
	}
	entry.Name = name
	for _, word := range bytes.Fields(extras) {
		var err error
		switch {
		case bytes.HasPrefix(word, []byte("versionCode:")):
			entry.VersionCode, err = strconv.ParseInt(string(word[12:]), 10, 64)
		case bytes.HasPrefix(word, []byte("uid:")):
			uid, _, _ := bytes.Cut(word[4:], []byte(","))
			entry.UID, err = strconv.Atoi(string(uid))
		case bytes.HasPrefix(word, []byte("installer=")):
			if v := string(word[10:]); v != "null" {
				entry.Installer = Printable(v, MaxPackageName)
			}
		default:
			err = fmt.Errorf("%q is not known here", word)
		}
		if err != nil {
			return entry, fmt.Errorf("after the name: %w", err)
		}
	}
	return entry, nil
}
