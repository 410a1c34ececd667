package site

import (
	"bytes"
	"cmp"
	"context"
	"fmt"
	"html/template"
	"strconv"
	"strings"

	"github.com/google/uuid"
	"rsc.io/qr"

	"roster/core/evidence"
	"roster/core/profile"
	"roster/core/render"
	"roster/core/run"
	"roster/server/atom"
	"roster/store"
)

// form is one way in which a release is handed out.
type form struct {
	ending, contentType string
	// looked is true for what is looked at, not saved.
	looked bool
	render func(store.Release, *profile.Document, render.About) ([]byte, error)
}

const (
	shellScript = "text/x-shellscript; charset=utf-8"
	plainText   = "text/plain; charset=utf-8"
)

// hereEnding is that of the page that does a release on a phone, tellEnding of
// the one on which strangers tell what happened.
const (
	hereEnding = ".here.html"
	tellEnding = ".tell.html"
	// sheetEnding is that of the page that is printed and ticked off beside the
	// phone.
	sheetEnding = ".sheet.html"
	// handEnding is that of the list that is walked on the phone itself.
	handEnding = ".hand.html"
)

// script is a form that core/render writes.
func script(ending, contentType string, f func(*profile.Document, render.About) ([]byte, error)) form {
	return form{ending, contentType, false, func(_ store.Release, d *profile.Document, a render.About) ([]byte, error) { return f(d, a) }}
}

// forms by the ending of the address: of two that fit the longer stands first.
var forms = []form{
	{".json.minisig", plainText, false, func(r store.Release, _ *profile.Document, _ render.About) ([]byte, error) {
		return []byte(r.Signature), nil
	}},
	{".status.json", "application/json", true, nil}, // it tells of runs, too: see release
	{".json", "application/json", false, func(r store.Release, _ *profile.Document, _ render.About) ([]byte, error) { return r.Document, nil }},
	script(".phone.undo.sh", shellScript, render.PhoneShellUndo),
	script(".phone.sh", shellScript, render.PhoneShell),
	script(".undo.sh", shellScript, render.ShellUndo),
	script(".sh", shellScript, render.Shell),
	script(".undo.ps1", plainText, render.PowerShellUndo),
	script(".ps1", plainText, render.PowerShell),
	script(".undo.bat", plainText, render.BatchUndo),
	script(".bat", plainText, render.Batch),
	script(".undo.txt", plainText, func(d *profile.Document, _ render.About) ([]byte, error) { return render.NamesUndo(d), nil }),
	script(".txt", plainText, func(d *profile.Document, _ render.About) ([]byte, error) { return render.Names(d), nil }),
	script(".csv", "text/csv; charset=utf-8", func(d *profile.Document, _ render.About) ([]byte, error) { return render.CSV(d) }),
	script(".md", "text/markdown; charset=utf-8", func(d *profile.Document, a render.About) ([]byte, error) { return render.Markdown(d, a), nil }),
	{sheetEnding, "text/html; charset=utf-8", true, nil},
	{handEnding, "text/html; charset=utf-8", true, nil},
	{tellEnding, "text/html; charset=utf-8", true, nil},
	{hereEnding, "text/html; charset=utf-8", true, nil}, // it needs the browser application: see release
	{".qr.svg", "image/svg+xml", true, func(_ store.Release, _ *profile.Document, a render.About) ([]byte, error) { return QR(a.Where) }},
}

// address takes maker/model/edition[/number][ending] apart.
func address(path string) (maker, model, edition string, number int, f *form, ok bool) {
	for i := range forms {
		if rest, found := strings.CutSuffix(path, forms[i].ending); found {
			path, f = rest, &forms[i]
			break
		}
	}
	parts := strings.Split(path, "/")
	if len(parts) < 3 || len(parts) > 4 {
		return "", "", "", 0, nil, false
	}
	if len(parts) == 4 {
		n, err := strconv.Atoi(parts[3])
		if err != nil || n < 1 || n > 1_000_000 || strconv.Itoa(n) != parts[3] {
			return "", "", "", 0, nil, false
		}
		number = n
	}
	return parts[0], parts[1], parts[2], number, f, true
}

// spokenScripts are the endings of scripts that speak the language of their address.
var spokenScripts = []string{".phone.undo.sh", ".phone.sh", ".undo.sh", ".sh", ".undo.ps1", ".ps1"}

// Ending is the ending of a public address that is a form of a release, "" for
// pages.
func Ending(path string) string {
	for _, f := range forms {
		if strings.HasSuffix(path, f.ending) {
			return f.ending
		}
	}
	return ""
}

func (s *Site) release(ctx context.Context, path string) (File, error) {
	maker, model, edition, number, f, ok := address(path)
	if !ok {
		return File{}, store.ErrNotFound
	}
	r, err := s.Store.Release(ctx, maker, model, edition, number)
	if err != nil {
		return File{}, err
	}
	d, err := profile.ParseDocument(r.Document)
	if err != nil {
		return File{}, err
	}
	a := render.About{
		Digest: r.SHA256, File: fmt.Sprintf("%s-%s-%d", model, edition, r.Number), Where: s.Base + Path(r.ReleaseLine),
		Language: s.code(), Withdrawn: r.State == "withdrawn", Reason: r.Reason,
	}
	marks, err := s.Store.NotFor(ctx, []uuid.UUID{r.ID})
	if err != nil {
		return File{}, err
	}
	notFor := marks[r.ID]
	spoken, err := s.spoken(ctx, d)
	if err != nil {
		return File{}, err
	}
	for _, n := range notFor {
		a.NotFor = append(a.NotFor, render.NotFor{Fingerprint: n.Fingerprint, Name: n.Name(), Why: n.Why})
	}
	if f == nil || f.ending == ".status.json" {
		own, runs, err := s.own(ctx, r)
		if err != nil {
			return File{}, err
		}
		many, err := s.Store.GainOf(ctx, r.ID)
		if err != nil {
			return File{}, err
		}
		if f != nil {
			return asJSON(statusOf(r, own, notFor, many))
		}
		p := pageOf(r, d, a, spoken)
		p.Own, p.Runs, p.NotFor, p.Brings = own, runs, notFor, bringsOf(many)
		here, err := s.Assets.Here()
		if err != nil {
			return File{}, err
		}
		if s.Reports != "" {
			if p.Told, err = s.Store.ReportsOf(ctx, r.ID); err != nil {
				return File{}, err
			}
			p.CanTell = true
		}
		p.CanHere = here != nil && r.State != profile.Withdrawn
		return s.page("release.html", p)
	}
	switch f.ending {
	case hereEnding:
		return s.here(ctx, pageOf(r, d, a, spoken), spoken)
	case tellEnding:
		return s.tell(r, d, a)
	case handEnding:
		p := pageOf(r, d, a, spoken)
		p.NotFor, p.CanTell = notFor, s.Reports != ""
		return s.hand(ctx, p)
	case sheetEnding:
		return s.page("sheet.html", pageOf(r, d, a, spoken))
	}
	body, err := f.render(r, d, a)
	if err != nil {
		return File{}, err
	}
	file := File{Type: f.contentType, Body: body}
	if !f.looked {
		file.Name = a.File + f.ending
	}
	return file, nil
}

// At finds the release at an address such as /r/maker/model/edition/number.
func (s *Site) At(ctx context.Context, path string) (store.Release, error) {
	rest, ok := strings.CutPrefix(path, "/r/")
	maker, model, edition, number, f, good := address(rest)
	if !ok || !good || f != nil {
		return store.Release{}, store.ErrNotFound
	}
	return s.Store.Release(ctx, maker, model, edition, number)
}

// releasePage is what the page and the run sheet of a release show.
type releasePage struct {
	store.Release
	Doc       *profile.Document
	Path      string
	Edition   string
	File      string
	Where     string
	Published string
	QR        template.HTML
	Costs     []cost
	// NotFor are builds on which it would stop something.
	NotFor []store.NotFor
	// Own is what its own runs come to, Runs the latest of them.
	Own  run.Own
	Runs []store.RunLine
	// Brings is what it brought phones, nil where none was measured.
	Brings *brings
	// Told is what strangers told of it, as far as reviewers looked at that;
	// CanTell is true where they can.
	// Nameless is true where some of what goes has no name on the screen.
	Nameless bool
	Told     store.ReportCounts
	CanTell  bool
	// CanHere is true where it can be done from a page of its own.
	CanHere bool
	// Goes are the steps that go, each with its commands.
	Goes []goes
	// Images counts those of them that go from the image.
	Images int
	// Quiet stay on the phone and are made quiet.
	Quiet []goes
	// Losses are the functions that go, in a row.
	Losses string
	// ToSee is what a person sees to before, ToDo what a script does besides.
	ToSee, ToDo []profile.Step
}

// cost is a function that goes, with what takes it.
type cost struct {
	// Function is what people call it.
	Function string
	Names    []string
	Seen     bool
}

type goes struct {
	profile.Step
	Off, Back string
	// About says what it does, as HTML that holds nothing but text and links.
	About template.HTML
}

// about is the first paragraph of a description.
func about(description string) template.HTML {
	first, _, _ := strings.Cut(strings.TrimSpace(description), "\n\n")
	return template.HTML(render.Prose(first))
}

// spoken is what people wrote of what a release takes off, in the page's language.
func (s *Site) spoken(ctx context.Context, d *profile.Document) (store.Spoken, error) {
	var names []string
	for _, step := range d.Removals() {
		names = append(names, string(step.Package))
	}
	return s.Store.SpokenOf(ctx, s.code(), names)
}

// pageOf fills in a page with what people wrote in its language. A document has one
// name for each package, which stands where there is no other.
func pageOf(r store.Release, d *profile.Document, a render.About, spoken store.Spoken) releasePage {
	p := releasePage{Release: r, Doc: d, Path: Path(r.ReleaseLine), Edition: EditionPath(r.ReleaseLine), File: a.File, Where: a.Where, Published: atom.Time(r.PublishedAt)}
	names := map[string]string{}
	for _, s := range d.Removals() {
		off, back := render.Commands(s)
		s.Label = cmp.Or(spoken.Labels[string(s.Package)], s.Label)
		one := goes{s, off, back, about(spoken.Abouts[string(s.Package)])}
		if s.Method == evidence.RemoveFromImage {
			p.Images++
		}
		if s.Leaves() {
			p.Goes = append(p.Goes, one)
		} else {
			p.Quiet = append(p.Quiet, one)
		}
		names[string(s.Package)] = s.Label
		p.Nameless = p.Nameless || s.Label == ""
	}
	losses := d.Costs
	if losses == nil {
		losses = lossesOf(d)
	}
	for _, l := range losses {
		c := cost{Function: cmp.Or(spoken.Functions[l.Function], strings.ReplaceAll(l.Function, "-", " ")), Seen: l.Seen}
		for _, name := range l.Packages {
			if label := names[string(name)]; label != "" {
				c.Names = append(c.Names, label)
			} else {
				c.Names = append(c.Names, string(name))
			}
		}
		p.Costs = append(p.Costs, c)
		p.Losses = strings.TrimPrefix(p.Losses+", "+c.Function, ", ")
	}
	for _, step := range d.Before() {
		if step.Kind == profile.Setting || step.Kind == profile.HoldUpdates {
			p.ToDo = append(p.ToDo, step)
		} else {
			p.ToSee = append(p.ToSee, step)
		}
	}
	if svg, err := QR(a.Where); err == nil {
		p.QR = template.HTML(svg)
	}
	return p
}

// lossesOf gathers what releases of older programs tell with each step alone.
func lossesOf(d *profile.Document) (list []profile.Loss) {
	at := map[string]int{}
	for _, s := range d.Removals() {
		for _, f := range s.Costs {
			i, ok := at[f]
			if !ok {
				i = len(list)
				at[f] = i
				list = append(list, profile.Loss{Function: f, Seen: true})
			}
			list[i].Packages = append(list[i].Packages, s.Package)
		}
	}
	return list
}

// QR draws an address as an SVG, dark on light whatever stands around it.
func QR(text string) ([]byte, error) {
	code, err := qr.Encode(text, qr.M)
	if err != nil {
		return nil, err
	}
	var b bytes.Buffer
	n := code.Size + 8
	fmt.Fprintf(&b, `<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 %d %d" width="132" height="132" role="img" aria-label="QR code of this page's address"><rect width="%d" height="%d" fill="#fff"/><path fill="#15202B" d="`, n, n, n, n)
	for y := range code.Size {
		for x := range code.Size {
			if code.Black(x, y) {
				fmt.Fprintf(&b, "M%d %dh1v1h-1z", x+4, y+4)
			}
		}
	}
	b.WriteString(`"/></svg>`)
	return b.Bytes(), nil
}
