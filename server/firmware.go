package server

import (
	"context"
	"encoding/csv"
	"fmt"
	"net/http"
	"slices"
	"strings"

	"github.com/danielgtaylor/huma/v2"
	"github.com/google/uuid"

	"roster/core/catalog"
	"roster/core/profile"
	"roster/core/render"
	"roster/store"
)

type modelInput struct {
	Maker string `path:"maker" maxLength:"80"`
	Model string `path:"model" maxLength:"80"`
}

// onLine is a build on its model's time line.
type onLine struct {
	store.BuildCover
	Arrival *arrivalBody `json:"arrival,omitempty" doc:"What it brought; none where nobody captured it"`
}

// arrivalBody is an arrival with its words.
type arrivalBody struct {
	store.Arrival
	Words string `json:"words" doc:"What it brings, in short; empty for the first of an edition"`
}

// heldRelease is a current release with how it stands on each build.
type heldRelease struct {
	ID      uuid.UUID    `json:"id"`
	Edition string       `json:"edition"`
	Number  int          `json:"number"`
	Profile uuid.UUID    `json:"profile"`
	Holds   []store.Hold `json:"holds" nullable:"false"`
}

// timeline is a model's firmware over time.
type timeline struct {
	Model    uuid.UUID     `json:"model"`
	Builds   []onLine      `json:"builds" nullable:"false" doc:"Oldest first, the open edition before carriers' and regions'"`
	Gaps     []catalog.Gap `json:"gaps" nullable:"false"`
	Releases []heldRelease `json:"releases" nullable:"false" doc:"Current ones"`
	Follows  bool          `json:"follows" doc:"Whether you follow the model"`
}

type timelineOutput struct{ Body timeline }

type comparisonInput struct {
	From string `query:"from" required:"true" maxLength:"60" doc:"build:ID or capture:ID"`
	To   string `query:"to" required:"true" maxLength:"60" doc:"build:ID or capture:ID"`
}

type comparedOutput struct{ Body store.Compared }

type carriedInput struct {
	ID    uuid.UUID `path:"id" doc:"The build that things are carried over to"`
	Since uuid.UUID `path:"since" doc:"The build that they are carried over from"`
}

type overTimeInput struct {
	ScopeInput
	Name string `path:"name" maxLength:"255"`
}

// firmwareRoutes are about builds over time, and what was published for them.
func (s *Server) firmwareRoutes() {
	route(s, Technician, huma.Operation{OperationID: "getTimeline", Method: http.MethodGet, Path: "/api/v1/makers/{maker}/models/{model}/timeline", Summary: "A model's firmware over time: what each brings, what is missing, and how releases stand on it"}, s.timeline)
	route(s, Technician, huma.Operation{OperationID: "compareBuilds", Method: http.MethodGet, Path: "/api/v1/comparison", Summary: "What lies between two builds, or a build and a phone"}, s.compareSides)
	route(s, Technician, huma.Operation{OperationID: "exportComparison", Method: http.MethodGet, Path: "/api/v1/comparison/export", Summary: "The same as CSV"}, s.exportComparison)
	route(s, Technician, huma.Operation{OperationID: "listCarried", Method: http.MethodGet, Path: "/api/v1/builds/{id}/carried/{since}", Summary: "What is worse known on a build than on another: ceilings that rose, loads that no longer stand"},
		func(ctx context.Context, in *carriedInput) (*listOutput[store.CarriedOver], error) {
			return listOf(s.store.CarriedOver(store.MayLag(ctx), in.Since, in.ID))
		})
	route(s, Technician, huma.Operation{OperationID: "listPackageSteps", Method: http.MethodGet, Path: "/api/v1/packages/{name}/over-time", Summary: "What changed in a package from build to build, the newest first"},
		func(ctx context.Context, in *overTimeInput) (*listOutput[store.PackageStep], error) {
			sc, err := s.scope(ctx, in.ScopeInput)
			if err != nil {
				return nil, err
			}
			return listOf(s.store.PackageOverTime(ctx, sc, in.Name))
		})
	s.holdRoutes()
	s.coverRoutes()
}

func (s *Server) timeline(ctx context.Context, in *modelInput) (*timelineOutput, error) {
	sc, err := s.store.FindScope(ctx, in.Maker, in.Model, "")
	if err != nil {
		return nil, err
	}
	covers, err := s.store.BuildCovers(ctx, []uuid.UUID{sc.Model.ID}, maxList)
	if err != nil {
		return nil, err
	}
	ids := make([]uuid.UUID, len(covers))
	for i, b := range covers {
		ids[i] = b.ID
	}
	arrivals, err := s.store.Arrivals(ctx, ids)
	if err != nil {
		return nil, err
	}
	out := timeline{Model: sc.Model.ID, Builds: make([]onLine, len(covers)), Releases: []heldRelease{}}
	moments := make([]catalog.Moment, len(covers))
	for i, b := range covers {
		out.Builds[i].BuildCover = b
		if a, ok := arrivals[b.ID]; ok {
			out.Builds[i].Arrival = &arrivalBody{Arrival: a}
			if a.SinceID != nil {
				out.Builds[i].Arrival.Words = a.Summary.Words(a.Back)
			}
		}
		moments[i] = catalog.Moment{Edition: strings.TrimSpace(b.Carrier + " " + b.Region), Version: b.Version, Patch: b.SecurityPatch, Captured: b.Packages > 0 || b.CapturedAt != nil}
	}
	out.Gaps = catalog.Gaps(moments)
	if out.Releases, err = s.heldReleases(ctx, sc, ids); err != nil {
		return nil, err
	}
	out.Follows, err = s.store.FollowsIt(ctx, personOf(ctx).ID, "model", sc.Model.ID)
	return &timelineOutput{out}, err
}

// heldReleases are the current releases of a scope with how they stand on
// builds.
func (s *Server) heldReleases(ctx context.Context, sc store.Scope, builds []uuid.UUID) ([]heldRelease, error) {
	holds, err := s.store.HoldsOn(ctx, builds, nil)
	if err != nil {
		return nil, err
	}
	list, err := s.store.Releases(ctx, sc, maxList)
	if err != nil {
		return nil, err
	}
	out := []heldRelease{}
	for _, r := range list {
		if r.State != "current" {
			continue
		}
		h := heldRelease{ID: r.ID, Edition: r.EditionName, Number: r.Number, Profile: r.ProfileID, Holds: []store.Hold{}}
		for _, one := range holds {
			if one.ReleaseID == r.ID {
				h.Holds = append(h.Holds, one)
			}
		}
		out = append(out, h)
	}
	slices.SortFunc(out, func(a, b heldRelease) int { return strings.Compare(a.Edition, b.Edition) })
	return out, nil
}

// readSide reads a side of a comparison: build:ID or capture:ID.
func readSide(text string) (store.Side, error) {
	kind, rest, _ := strings.Cut(text, ":")
	id, err := uuid.Parse(rest)
	if err != nil || kind != "build" && kind != "capture" {
		return store.Side{}, problem(http.StatusUnprocessableEntity, "bad-request", "Name each side as build:ID or capture:ID.")
	}
	return store.Side{Kind: kind, ID: id}, nil
}

func (s *Server) compared(ctx context.Context, in *comparisonInput) (store.Compared, error) {
	from, err := readSide(in.From)
	if err != nil {
		return store.Compared{}, err
	}
	to, err := readSide(in.To)
	if err != nil {
		return store.Compared{}, err
	}
	return s.store.CompareSides(store.MayLag(ctx), from, to)
}

func (s *Server) compareSides(ctx context.Context, in *comparisonInput) (*comparedOutput, error) {
	c, err := s.compared(ctx, in)
	return &comparedOutput{c}, err
}

// exportComparison writes a comparison as CSV, a package a line.
func (s *Server) exportComparison(ctx context.Context, in *comparisonInput) (*huma.StreamResponse, error) {
	c, err := s.compared(ctx, in)
	if err != nil {
		return nil, err
	}
	return &huma.StreamResponse{Body: func(hc huma.Context) {
		hc.SetHeader("Content-Type", "text/csv; charset=utf-8")
		hc.SetHeader("Content-Disposition", fmt.Sprintf(`attachment; filename="%s-%s-to-%s.csv"`, store.Slug(c.To.ModelName), store.Slug(c.From.Carrier+" "+c.From.Version), store.Slug(c.To.Carrier+" "+c.To.Version)))
		w := csv.NewWriter(hc.BodyWriter())
		w.UseCRLF = true // RFC 4180
		w.Write([]string{"lane", "package", "was", "sure", "label", "origin", "what differs", "links gained", "links lost", "load then", "load now", "harm ceiling then", "harm ceiling now", "taken off by", "means"})
		for _, p := range c.Packages {
			w.Write(comparedLine(p))
		}
		w.Flush()
		if err := w.Error(); err != nil {
			s.log.Warn("an export of a comparison broke off", "err", err)
			panic(http.ErrAbortHandler) // it must not look whole
		}
	}}, nil
}

func comparedLine(p store.ComparedPackage) []string {
	var what, gained, lost, taken []string
	for _, d := range p.What {
		what = append(what, fmt.Sprintf("%s: %s -> %s", d.What, d.Before, d.After))
	}
	for _, l := range p.Gained {
		gained = append(gained, fmt.Sprintf("%s rests on %s (%s)", l.From, l.On, l.Kind))
	}
	for _, l := range p.Lost {
		lost = append(lost, fmt.Sprintf("%s rests on %s (%s)", l.From, l.On, l.Kind))
	}
	for _, r := range p.Taken {
		taken = append(taken, r.String())
	}
	known := func(j *catalog.Judged) (load, ceiling string) {
		if j == nil {
			return "", ""
		}
		return string(j.Effective()), fmt.Sprintf("%.4f", j.Ceiling)
	}
	loadThen, ceilingThen := known(p.Then)
	loadNow, ceilingNow := known(p.Now)
	sure := ""
	if p.Was != "" {
		sure = fmt.Sprintf("%.2f", p.Sure)
	}
	line := []string{
		p.Lane, p.Name, p.Was, sure, p.Label, p.Origin,
		strings.Join(what, "; "), strings.Join(gained, "; "), strings.Join(lost, "; "),
		loadThen, loadNow, ceilingThen, ceilingNow,
		strings.Join(taken, "; "), profile.MeaningWords(p.Means),
	}
	for i := range line {
		line[i] = render.Cell(line[i])
	}
	return line
}
