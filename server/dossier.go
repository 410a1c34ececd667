package server

import (
	"cmp"
	"context"
	"encoding/json"
	"fmt"
	"slices"

	"github.com/google/uuid"
	"golang.org/x/sync/errgroup"

	"roster/core/catalog"
	"roster/core/change"
	"roster/core/evidence"
	"roster/core/render"
	"roster/store"
)

type dossierInput struct {
	ScopeInput
	Name   string `path:"name" maxLength:"255"`
	Method string `query:"method" enum:"quieten,disable,remove-for-user,remove-from-image" default:"remove-for-user"`
}

// Figures are what trials come to, as a page shows them.
type Figures struct {
	Ceiling       float64 `json:"ceiling" doc:"At most this share of phones harmed, one-sided 95 %"`
	Floor         float64 `json:"floor"`
	SevereCeiling float64 `json:"severeCeiling"`
	Weight        float64 `json:"weight" doc:"Sum of the trials' weights"`
	HarmedWeight  float64 `json:"harmedWeight"`
	Standing      string  `json:"standing" enum:"untried,contested,firm,thin,fair"`
	Phones        int     `json:"phones"`
	People        int     `json:"people"`
	HarmedPhones  int     `json:"harmedPhones"`
}

func figuresOf(f evidence.Figures) Figures {
	return Figures{f.Ceiling, f.Floor, f.SevereCeiling, f.Weight, f.Harmed, string(f.Standing), f.Phones, f.People, f.HarmedPhones}
}

// distance is what the trials at one distance from the scope come to.
type distance struct {
	Distance int     `json:"distance" doc:"0 same build, then farther"`
	Words    string  `json:"words"`
	Weight   float64 `json:"weight" doc:"Transfer weight of each trial there"`
	Strip    string  `json:"strip"`
	Figures
}

// byMethod is what the trials by one method come to.
type byMethod struct {
	Method    string     `json:"method" enum:"quieten,disable,remove-for-user,remove-from-image"`
	Sentence  string     `json:"sentence"`
	Strip     string     `json:"strip"`
	Suggested string     `json:"suggested"`
	Distances []distance `json:"distances" nullable:"false"`
	Figures
}

// grade is the load that applies in a scope and how it came to be.
type grade struct {
	Load         string            `json:"load" enum:"loose,leaned-on,tied-in,load-bearing,unproven"`
	BySuggestion bool              `json:"bySuggestion"`
	Suggested    string            `json:"suggested" enum:"loose,leaned-on,tied-in,load-bearing,unproven"`
	Reasons      []evidence.Reason `json:"reasons" nullable:"false"`
	MoreLenient  bool              `json:"moreLenient" doc:"A person set it more lenient than suggested"`
	Conditions   []string          `json:"conditions" nullable:"false"`
	Applies      *store.Claim      `json:"applies,omitempty"`
	Hidden       []store.Claim     `json:"hidden" nullable:"false" doc:"Wider grades that this one hides"`
}

type dossier struct {
	Package     store.Package     `json:"package"`
	Labels      map[string]string `json:"labels" nullable:"false"`
	Aliases     []string          `json:"aliases" nullable:"false"`
	Description string            `json:"description" doc:"CommonMark"`
	// Prose is the description as HTML that holds nothing but text and links.
	Prose       string               `json:"prose"`
	Substitutes []catalog.Substitute `json:"substitutes" nullable:"false"`
	Countries   []string             `json:"countries" nullable:"false" doc:"Where it makes sense, as ISO 3166 codes; none where nobody has said"`
	Functions   []string             `json:"functions" nullable:"false"`
	Links       []change.StatedLink  `json:"links" nullable:"false" doc:"What it rests on though no phone tells, as people state"`
	Hand        onPhone              `json:"hand"`
	Origin      string               `json:"origin"`
	OriginWhy   string               `json:"originWhy"`
	Grade       grade                `json:"grade"`
	// Methods has the method asked for and every other one that something is
	// known of.
	Methods     []byMethod          `json:"methods" nullable:"false"`
	Trials      int                 `json:"trials" doc:"How many there are; see the operation listTrials for each"`
	Missed      []string            `json:"missed" nullable:"false" doc:"The functions that trials of removing it for the user found lost"`
	Sources     []store.SourceRow   `json:"sources" nullable:"false"`
	Attachments []store.Attachment  `json:"attachments" nullable:"false" doc:"The files that sources name"`
	Ships       []store.Shipping    `json:"ships" nullable:"false" doc:"The builds of models that ship it, at most 20 models, those in scope first"`
	Uses        []store.BuildUse    `json:"uses" nullable:"false" doc:"What phones attribute to it, by the builds of which some were measured"`
	ShipsOn     int                 `json:"shipsOn" doc:"On how many models some build ships it"`
	Claims      []store.Claim       `json:"claims" nullable:"false"`
	History     []store.Past        `json:"history" nullable:"false"`
	Releases    []store.ReleaseLine `json:"releases" nullable:"false"`
}

// onPhone is what the owner of a phone sees of a package there.
type onPhone struct {
	Icon   string       `json:"icon" enum:"yes,no," doc:"Whether it has an icon on the screen, on the nearest firmware that told; empty where none did"`
	Hand   catalog.Hand `json:"hand" enum:"uninstall,switch-off,grey" doc:"What the phone's own settings offer"`
	Sure   bool         `json:"sure" doc:"Somebody tried it; else it is derived"`
	Phones int          `json:"phones" doc:"On how many phones somebody tried it"`
}

type dossierOutput struct{ Body dossier }

// How many sources and history entries one page carries, and from how many
// connections it reads at once: the others are left to others.
const (
	readsAtOnce = 3
	maxSources  = 500
	maxHistory  = 200
)

// packageIn is a package, and the scope that it is seen from.
func (s *Server) packageIn(ctx context.Context, in ScopeInput, name string) (sc store.Scope, p store.Package, err error) {
	if sc, err = s.scope(ctx, in); err != nil {
		return sc, p, err
	}
	if p, err = s.store.Package(ctx, name); err != nil {
		err = fmt.Errorf("package %q: %w", name, err)
	}
	return sc, p, err
}

func (s *Server) dossier(ctx context.Context, in *dossierInput) (*dossierOutput, error) {
	ctx = store.MayLag(ctx)
	sc, p, err := s.packageIn(ctx, in.ScopeInput, in.Name)
	if err != nil {
		return nil, err
	}
	out := &dossierOutput{dossier{Package: p, Functions: []string{}, Links: []change.StatedLink{}, Substitutes: []catalog.Substitute{}, Countries: []string{}, Methods: []byMethod{}, Origin: p.Origin, OriginWhy: "guessed: " + p.OriginReason}}
	d := &out.Body
	var trials []evidence.Trial
	var y evidence.Yardstick
	var structure evidence.Structure
	var hands []store.HandTrial
	loading, within := errgroup.WithContext(ctx)
	loading.SetLimit(readsAtOnce)
	for _, load := range []func() error{ // what takes longest begins first
		func() (err error) { d.Ships, d.ShipsOn, err = s.store.Ships(within, p.ID, sc); return },
		func() (err error) { d.Labels, d.Aliases, err = s.store.LabelsOf(within, p.ID); return },
		func() (err error) { d.Claims, err = s.store.Claims(within, p.ID); return },
		func() (err error) { hands, err = s.store.HandTrials(within, p.ID); return },
		func() (err error) { d.Sources, err = s.store.Sources(within, p.ID, maxSources); return },
		func() (err error) { d.Uses, err = s.store.UsesOf(within, p.ID); return },
		func() (err error) { d.History, err = s.store.History(within, p.ID, maxHistory); return },
		func() (err error) { d.Releases, err = s.store.ReleasesWith(within, p.Name); return },
		func() (err error) { trials, y, err = s.store.Evidence(within, p.ID); return },
		func() (err error) { structure, err = s.store.Structure(within, sc, p.Name); return },
	} {
		loading.Go(load)
	}
	if err := loading.Wait(); err != nil {
		return nil, err
	}
	all, apart := evidence.GatherAll(trials), byDistance(trials, sc.Target)
	for _, m := range evidence.Methods {
		if seen := seenBy(&all, apart, m, sc, y); seen.Strip != "" || string(m) == in.Method {
			d.Methods = append(d.Methods, seen)
		}
	}
	d.Trials, d.Missed = len(trials), missedBy(trials)
	d.Hand = onPhoneOf(d.Ships, hands)
	if d.Attachments, err = s.store.Attachments(ctx, d.files()); err != nil {
		return nil, err
	}
	if err := d.fromClaims(); err != nil {
		return nil, err
	}
	f := all.Of(evidence.Method(in.Method)).From(sc.Target, y, &evidence.Limits{})
	d.Grade, err = gradeAt(d.Claims, sc.Target, evidence.Suggest(f, structure, y.Thresholds))
	return out, err
}

// onPhoneOf is what the nearest firmware tells that ships a package, and what
// people tried by hand anywhere.
func onPhoneOf(ships []store.Shipping, trials []store.HandTrial) onPhone {
	var o onPhone
	var f catalog.HandFacts
	i := slices.IndexFunc(ships, func(s store.Shipping) bool { return s.Ships })
	f.Ordinary = i < 0
	for _, s := range ships {
		if s.Ships && s.Maker == ships[i].Maker && s.ModelSlug == ships[i].ModelSlug {
			o.Icon, f.Platform = cmp.Or(s.Icon, o.Icon), s.Platform // the newest stands last
		}
	}
	tried := map[string]bool{}
	for _, t := range trials {
		if tried[t.Phone] {
			continue
		}
		tried[t.Phone] = true
		if t.ByHand == "done" {
			f.Done++
		} else {
			f.NotOffered++
		}
	}
	o.Hand, o.Sure = catalog.ByHand(f)
	o.Phones = len(tried)
	return o
}

// missedBy are the functions that were lost when a package was removed for the user.
func missedBy(trials []evidence.Trial) []string {
	missed := []string{}
	for _, t := range trials {
		if t.Method == evidence.RemoveForUser && t.Outcome == evidence.FunctionLost && !slices.Contains(missed, t.Function) {
			missed = append(missed, t.Function)
		}
	}
	slices.Sort(missed)
	return missed
}

// files are the attachments that the page names.
func (d *dossier) files() []uuid.UUID {
	ids := []uuid.UUID{}
	for _, x := range d.Sources {
		if x.Attachment != nil {
			ids = append(ids, *x.Attachment)
		}
	}
	return ids
}

// seenBy is what the trials by a method come to in a scope: all of them, and those of
// each distance by themselves.
func seenBy(all *evidence.ByMethod, apart []evidence.ByMethod, method evidence.Method, sc store.Scope, y evidence.Yardstick) byMethod {
	g := all.Of(method)
	f := g.From(sc.Target, y, &evidence.Limits{})
	return byMethod{Method: string(method), Figures: figuresOf(f), Sentence: evidence.Sentence(f, whereWords(sc), y.Thresholds), Strip: g.Strip(sc.Target),
		Suggested: string(evidence.SuggestedLoad(f, y.Thresholds)), Distances: distances(apart, method, sc, y)}
}

// byDistance gathers trials by how far their firmware is from a target, in the order
// of distances.
func byDistance(trials []evidence.Trial, target evidence.Firmware) []evidence.ByMethod {
	groups := make([][]evidence.Trial, evidence.Otherwise+1)
	for _, t := range trials {
		at := evidence.Between(t.On, target)
		groups[at] = append(groups[at], t)
	}
	apart := make([]evidence.ByMethod, len(groups))
	for at := range groups {
		apart[at] = evidence.GatherAll(groups[at])
	}
	return apart
}

// fromClaims takes over what people have said in fields that hold everywhere.
func (d *dossier) fromClaims() error {
	for _, c := range d.Claims {
		var err error
		switch change.Field(c.Field) {
		case change.Description:
			err = json.Unmarshal(c.Value, &d.Description)
			d.Prose = render.Prose(d.Description)
		case change.Substitutes:
			err = json.Unmarshal(c.Value, &d.Substitutes)
		case change.Countries:
			err = json.Unmarshal(c.Value, &d.Countries)
		case change.Links:
			err = json.Unmarshal(c.Value, &d.Links)
		case change.Functions:
			err = json.Unmarshal(c.Value, &d.Functions)
		case change.Origin:
			err = json.Unmarshal(c.Value, &d.Origin)
			d.OriginWhy = "said by " + c.SetBy
		}
		if err != nil {
			return fmt.Errorf("claim %s: %w", c.Field, err)
		}
	}
	return nil
}

// gradeAt picks the load that applies at a target, among a package's claims.
func gradeAt(claims []store.Claim, target evidence.Firmware, suggestion evidence.Suggestion) (grade, error) {
	g := grade{Load: string(suggestion.Load), BySuggestion: true, Suggested: string(suggestion.Load), Reasons: suggestion.Reasons, Conditions: []string{}, Hidden: []store.Claim{}}
	var loads []store.Claim
	var scopes []catalog.Scope
	for _, c := range claims {
		if c.Field == string(change.Load) {
			loads, scopes = append(loads, c), append(scopes, c.Scope())
		}
	}
	i, hidden := catalog.Applying(scopes, target)
	if i < 0 {
		return g, nil
	}
	var v change.LoadValue
	if err := json.Unmarshal(loads[i].Value, &v); err != nil {
		return g, fmt.Errorf("load at %s: %w", loads[i].ScopeName, err)
	}
	g.Load, g.BySuggestion, g.Applies = string(v.Load), false, &loads[i]
	g.MoreLenient = v.Load.MoreLenientThan(suggestion.Load)
	if v.Conditions != nil {
		g.Conditions = v.Conditions
	}
	for _, h := range hidden {
		g.Hidden = append(g.Hidden, loads[h])
	}
	return g, nil
}

// distances are what trials come to that are as far from the scope as others.
func distances(apart []evidence.ByMethod, method evidence.Method, sc store.Scope, y evidence.Yardstick) []distance {
	// Within one distance all weigh alike: the interval is that of the trials
	// there by themselves.
	alone := evidence.Yardstick{Transfer: evidence.Transfer{SameBuild: 1, SameModelRelease: 1, SameModel: 1, SameMakerRelease: 1, SameMaker: 1, Otherwise: 1, Outside: y.Transfer.Outside}, Thresholds: y.Thresholds}
	out := []distance{}
	for at := evidence.SameBuild; at <= evidence.Otherwise; at++ {
		g := apart[at].Of(method)
		strip := g.Strip(sc.Target)
		if strip == "" {
			continue
		}
		out = append(out, distance{int(at), distanceWords(at, sc), y.Transfer.Weight(at), strip, figuresOf(g.From(sc.Target, alone, &evidence.Limits{}))})
	}
	return out
}

func distanceWords(d evidence.Distance, sc store.Scope) string {
	model, maker, release := "this model", "this maker", sc.Target.Release
	if sc.Model != nil {
		model = sc.Model.Name
	}
	if sc.Maker != nil {
		maker = sc.Maker.Name
	}
	switch d {
	case evidence.SameBuild:
		if sc.Build == nil {
			return "Newest build of " + model
		}
		return "This build, " + buildName(*sc.Build)
	case evidence.SameModelRelease:
		return model + " on Android " + release
	case evidence.SameModel:
		return model + " on another Android"
	case evidence.SameMakerRelease:
		return "Other " + maker + " on " + release
	case evidence.SameMaker:
		return "Other " + maker
	}
	return "Other makers"
}
