package site

import (
	"bytes"
	"cmp"
	"context"
	"embed"
	"encoding/json"
	"fmt"
	"html/template"
	"slices"
	"strconv"
	"strings"
	"sync"

	"github.com/google/uuid"

	"roster/core/android"
	"roster/core/profile"
	"roster/core/wording"
	"roster/server/atom"
	"roster/store"
)

//go:embed pages/offline.js
var offline []byte

//go:embed pages
var pageFiles embed.FS

var allPages = sync.OnceValue(func() map[string]*template.Template {
	all := map[string]*template.Template{}
	for code, s := range speakers() {
		all[code] = template.Must(template.New("").Funcs(pageFuncs).Funcs(s.funcs()).ParseFS(pageFiles, "pages/*.html"))
	}
	return all
})

// pages are the templates of all pages in a language.
func pages(code string) *template.Template { return allPages()[code] }

var pageFuncs = template.FuncMap{
	"percent": wording.Ceiling,
	"front":   front,
	"back":    func(name string) string { return strings.TrimPrefix(name, front(name)) },
	"breaks":  breaks,
	"of":      percentOf,
}

// front is the shared namespace of a package name, which is shown dimmed.
func front(name string) string {
	parts := strings.Split(name, ".")
	n := min(2, len(parts)-1)
	if n < 1 {
		return ""
	}
	return strings.Join(parts[:n], ".") + "."
}

// breaks lets a package name break behind its dots and nowhere else.
func breaks(name string) template.HTML {
	return template.HTML(strings.ReplaceAll(template.HTMLEscapeString(name), ".", ".<wbr>"))
}

// Site writes the public files of one installation.
type Site struct {
	Store *store.Store
	// Base is where the installation is reached from outside, such as
	// https://roster.example, without a slash at its end.
	Base string
	// Assets are the browser application's, nil for none.
	Assets *Assets
	// Reports is where strangers send what happened, "" where they can't. Salt is
	// what their phones' serial numbers are hashed with, in their browsers.
	Reports string
	Salt    string

	language string // of the page that is being written, "" for English
}

// File is what one address holds.
type File struct {
	Type string
	Body []byte
	// Name is what it is saved as, "" for what is looked at.
	Name string
}

// maxReleases bounds the lists.
const maxReleases = 5000

// Schemas are the published JSON Schemas by their address.
var Schemas = map[string][]byte{"/schema/release.json": profile.Schema, "/schema/capture.json": android.CaptureSchema}

// File writes what stands at an address; store.ErrNotFound where nothing does.
func (s *Site) File(ctx context.Context, path string) (File, error) {
	code, plain := SplitLanguage(path)
	if code != "en" && !Translated(plain) && !slices.Contains(spokenScripts, Ending(plain)) {
		return File{}, store.ErrNotFound
	}
	spoken := *s
	spoken.language = code
	f, err := spoken.file(ctx, plain)
	if err != nil || !strings.HasPrefix(f.Type, "text/html") || !Translated(plain) {
		return f, err
	}
	head, bar, err := alternates(code, plain, s.Base)
	f.Body = bytes.Replace(f.Body, []byte(alternatesMark), []byte(head), 1)
	f.Body = bytes.Replace(f.Body, []byte(languagesMark), []byte(bar), 1)
	return f, err
}

// Translated reports whether there is a page at an English address in every language:
// all that people with a phone read.
func Translated(path string) bool {
	place, rest, _ := strings.Cut(strings.TrimPrefix(path, "/"), "/")
	switch place {
	case "r":
		ending := Ending(path)
		return ending == "" || strings.HasSuffix(ending, ".html")
	case "coverage", "run":
		return !strings.HasSuffix(rest, ".json")
	case "keys":
		return rest == ""
	}
	return false
}

// file is File of an address without its language.
func (s *Site) file(ctx context.Context, path string) (File, error) {
	if schema, ok := Schemas[path]; ok {
		return File{Type: "application/schema+json", Body: schema}, nil
	}
	switch {
	case path == "/offline.js":
		return File{Type: "text/javascript; charset=utf-8", Body: offline}, nil
	case path == "/r" || path == "/r.json" || path == "/feed.atom":
		return s.list(ctx, path)
	case path == "/coverage" || path == "/coverage.json" || strings.HasPrefix(path, "/coverage/"):
		return s.coverage(ctx, path)
	case path == "/minisign.pub" || path == "/keys" || path == "/keys.json" || strings.HasPrefix(path, "/keys/"):
		return s.keys(ctx, path)
	}
	if rest, ok := strings.CutPrefix(path, "/run/"); ok {
		return s.run(ctx, rest)
	}
	rest, ok := strings.CutPrefix(path, "/r/")
	if !ok {
		return File{}, store.ErrNotFound
	}
	switch parts := strings.Split(rest, "/"); len(parts) {
	case 1:
		return s.maker(ctx, parts[0])
	case 2:
		return s.model(ctx, parts[0], parts[1])
	}
	return s.release(ctx, rest)
}

// Paths lists every address that holds something: those of all releases, and
// what leads to them.
func (s *Site) Paths(ctx context.Context) ([]string, error) {
	list, err := s.Store.LatelyReleased(ctx, maxReleases)
	if err != nil {
		return nil, err
	}
	here, err := s.Assets.Here()
	if err != nil {
		return nil, err
	}
	paths := []string{"/offline.js", "/r", "/r.json", "/feed.atom", "/keys", "/keys.json", "/coverage", "/coverage.json"}
	makers, err := s.Store.MakerCovers(ctx, store.Scope{})
	if err != nil {
		return nil, err
	}
	for _, m := range makers {
		paths = append(paths, "/coverage/"+m.Maker, "/coverage/"+m.Maker+".json")
	}
	for path := range Schemas {
		paths = append(paths, path)
	}
	for _, r := range list {
		maker, edition := "/r/"+r.Maker, EditionPath(r)
		paths = append(paths, maker, maker+"/"+r.Model, edition, Path(r))
		for _, sister := range r.Sisters {
			paths = append(paths, maker+"/"+sister.Slug)
		}
		for _, f := range forms {
			if f.ending == hereEnding && here == nil || f.ending == tellEnding && s.Reports == "" {
				continue
			}
			paths = append(paths, edition+f.ending, Path(r)+f.ending)
		}
	}
	runs, err := s.Store.PublicRuns(ctx, maxReleases)
	if err != nil {
		return nil, err
	}
	for _, n := range runs {
		paths = append(paths, fmt.Sprintf("/run/%d", n), fmt.Sprintf("/run/%d.json", n))
	}
	keys, err := s.Store.PublicKeys(ctx)
	if err != nil {
		return nil, err
	}
	for _, k := range keys {
		paths = append(paths, "/keys/"+k.ID+".pub")
		if k.RetiredAt == nil {
			paths = append(paths, "/minisign.pub")
		}
		if k.Endorsement != "" {
			paths = append(paths, "/keys/"+k.ID+".pub.minisig")
		}
	}
	for _, path := range paths {
		if Translated(path) || slices.Contains(spokenScripts, Ending(path)) {
			for _, l := range Languages[1:] {
				paths = append(paths, InLanguage(l.Code, path))
			}
		}
	}
	slices.Sort(paths)
	return slices.Compact(paths), nil
}

// EditionPath is the address that always leads to an edition's current
// release, Path that of one release.
func EditionPath(r store.ReleaseLine) string {
	return fmt.Sprintf("/r/%s/%s/%s", r.Maker, r.Model, r.Edition)
}

// Path is the address of one release.
func Path(r store.ReleaseLine) string { return EditionPath(r) + "/" + strconv.Itoa(r.Number) }

// shown are the releases that lists lead to: of each edition the current one,
// or the newest where none is current.
func shown(list []store.ReleaseLine) []store.ReleaseLine {
	best := map[string]store.ReleaseLine{}
	for _, r := range list {
		old, ok := best[EditionPath(r)]
		if !ok || r.State == "current" || old.State != "current" && r.Number > old.Number {
			best[EditionPath(r)] = r
		}
	}
	out := make([]store.ReleaseLine, 0, len(best))
	for _, r := range best {
		out = append(out, r)
	}
	slices.SortFunc(out, func(a, b store.ReleaseLine) int {
		return strings.Compare(a.MakerName+"\x00"+a.ModelName+"\x00"+a.EditionName, b.MakerName+"\x00"+b.ModelName+"\x00"+b.EditionName)
	})
	return out
}

// listed is a release in a list for programs.
type listed struct {
	Maker     string               `json:"maker"`
	Model     string               `json:"model"`
	Edition   string               `json:"edition"`
	Number    int                  `json:"number"`
	State     profile.ReleaseState `json:"state"`
	Reason    string               `json:"reason,omitempty"`
	Published string               `json:"published"`
	Withdrawn string               `json:"withdrawn,omitempty"`
	SHA256    string               `json:"sha256"`
	Packages  int                  `json:"packages"`
	Document  string               `json:"document"`
	// NotFor are builds on which it would stop something.
	NotFor []store.NotFor `json:"notFor,omitempty"`
}

func listedOf(r store.ReleaseLine, notFor []store.NotFor) listed {
	l := listed{r.Maker, r.Model, r.Edition, r.Number, r.State, r.Reason, atom.Time(r.PublishedAt), "", r.SHA256, r.Steps, Path(r) + ".json", notFor}
	if r.WithdrawnAt != nil {
		l.Withdrawn = atom.Time(*r.WithdrawnAt)
	}
	return l
}

func (s *Site) list(ctx context.Context, path string) (File, error) {
	list, err := s.Store.LatelyReleased(ctx, maxReleases)
	if err != nil {
		return File{}, err
	}
	marks, err := s.marks(ctx, list)
	if err != nil {
		return File{}, err
	}
	switch path {
	case "/r.json":
		all := make([]listed, len(list))
		for i, r := range list {
			all[i] = listedOf(r, marks[r.ID])
		}
		return asJSON(map[string]any{"releases": all})
	case "/feed.atom":
		return s.feed(list, marks)
	}
	return s.listing(ctx, index{List: shown(list), NotFor: marks})
}

// marks are the builds that releases of a list would stop something on.
func (s *Site) marks(ctx context.Context, list []store.ReleaseLine) (map[uuid.UUID][]store.NotFor, error) {
	ids := make([]uuid.UUID, len(list))
	for i, r := range list {
		ids[i] = r.ID
	}
	return s.Store.NotFor(ctx, ids)
}

// index is what a list of releases shows.
type index struct {
	// Title is "" for all makers.
	Title string
	List  []store.ReleaseLine
	// Purposes are sentences that say what releases are for.
	Purposes map[uuid.UUID]string
	// Tell is where strangers tell of a phone that is not listed, "" for nowhere.
	Tell string
	// Up leads one level up, "" from the top.
	Up, UpName string
	// Builds are the firmwares that the releases of a model are for.
	Builds []profile.Build
	// NotFor are builds that releases would stop something on.
	NotFor map[uuid.UUID][]store.NotFor
}

func (s *Site) maker(ctx context.Context, maker string) (File, error) {
	list, err := s.Store.LatelyReleased(ctx, maxReleases)
	if err != nil {
		return File{}, err
	}
	list = slices.DeleteFunc(shown(list), func(r store.ReleaseLine) bool { return r.Maker != maker })
	if len(list) == 0 {
		return File{}, store.ErrNotFound
	}
	marks, err := s.marks(ctx, list)
	if err != nil {
		return File{}, err
	}
	return s.listing(ctx, index{Title: list[0].MakerName, List: list, Up: "/r", NotFor: marks})
}

func (s *Site) model(ctx context.Context, maker, model string) (File, error) {
	list, err := s.Store.LatelyReleased(ctx, maxReleases)
	if err != nil {
		return File{}, err
	}
	name := ""
	list = slices.DeleteFunc(shown(list), func(r store.ReleaseLine) bool {
		if r.Maker != maker {
			return true
		}
		if r.Model == model {
			name = r.ModelName
			return false
		}
		i := slices.IndexFunc(r.Sisters, func(m store.ProfileModel) bool { return m.Slug == model })
		if i >= 0 {
			name = r.Sisters[i].Name
		}
		return i < 0
	})
	if len(list) == 0 {
		return File{}, store.ErrNotFound
	}
	marks, err := s.marks(ctx, list)
	if err != nil {
		return File{}, err
	}
	p := index{Title: list[0].MakerName + " " + name, List: list, Up: "/r/" + maker, UpName: list[0].MakerName, NotFor: marks}
	for _, line := range list {
		r, err := s.Store.ReleaseByID(ctx, line.ID)
		if err != nil {
			return File{}, err
		}
		d, err := profile.ParseDocument(r.Document)
		if err != nil {
			return File{}, err
		}
		for _, b := range d.Builds {
			of := b.Model
			if of == "" {
				of = d.Model.Slug
			}
			if of == model && !slices.ContainsFunc(p.Builds, func(x profile.Build) bool { return x.Fingerprint == b.Fingerprint }) {
				p.Builds = append(p.Builds, b)
			}
		}
	}
	slices.SortFunc(p.Builds, func(a, b profile.Build) int {
		return strings.Compare(a.Carrier+"\x00"+a.SecurityPatch, b.Carrier+"\x00"+b.SecurityPatch)
	})
	return s.listing(ctx, p)
}

// KeyFile is a public key as minisign reads it.
func KeyFile(id, public string) []byte {
	return []byte(fmt.Sprintf("untrusted comment: minisign public key %s\n%s\n", id, public))
}

func (s *Site) keys(ctx context.Context, path string) (File, error) {
	list, err := s.Store.PublicKeys(ctx)
	if err != nil {
		return File{}, err
	}
	text := func(raw []byte) (File, error) { return File{Type: "text/plain; charset=utf-8", Body: raw}, nil }
	switch path {
	case "/keys":
		return s.page("keys.html", map[string]any{"List": list, "Base": s.Base})
	case "/keys.json":
		return asJSON(map[string]any{"keys": list})
	}
	for _, k := range list {
		switch {
		case path == "/minisign.pub" && k.RetiredAt == nil, path == "/keys/"+k.ID+".pub":
			return text(KeyFile(k.ID, k.Public))
		case path == "/keys/"+k.ID+".pub.minisig" && k.Endorsement != "":
			return text([]byte(k.Endorsement))
		}
	}
	return File{}, store.ErrNotFound
}

func asJSON(v any) (File, error) {
	raw, err := json.MarshalIndent(v, "", "  ")
	return File{Type: "application/json", Body: append(raw, '\n')}, err
}

// listing shows releases, each with its sentence.
func (s *Site) listing(ctx context.Context, p index) (File, error) {
	ids := make([]uuid.UUID, len(p.List))
	for i, r := range p.List {
		ids[i] = r.ID
	}
	var err error
	if p.Purposes, err = s.Store.Purposes(ctx, ids); err != nil {
		return File{}, err
	}
	p.Tell = s.Reports
	return s.page("releases.html", p)
}

// code is that of the language that is written in.
func (s *Site) code() string { return cmp.Or(s.language, "en") }

func (s *Site) page(name string, data any) (File, error) {
	var b bytes.Buffer
	err := pages(s.code()).ExecuteTemplate(&b, name, data)
	return File{Type: "text/html; charset=utf-8", Body: b.Bytes()}, err
}

// Problem is the page that says, in a language, why there is none. The detail is
// in English, "" for an address at which there is nothing.
func Problem(code, detail string) ([]byte, error) {
	s, key := speakers()[code], "problem.wrong"
	if detail == "" {
		key = "problem.nothing"
	}
	title, err := s.say(key)
	if err != nil {
		return nil, err
	}
	var b bytes.Buffer
	err = pages(code).ExecuteTemplate(&b, "problem.html", struct{ Title, Detail string }{title, detail})
	return b.Bytes(), err
}
