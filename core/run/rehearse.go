package run

import (
	"fmt"
	"slices"
	"strings"

	"roster/core/android"
	"roster/core/evidence"
	"roster/core/impact"
	"roster/core/profile"
	"roster/core/wording"
)

// Subject is the phone that a run is rehearsed for.
type Subject struct {
	Identity android.Identity
	Facts    android.PhoneFacts
	// Packages are all that the phone knows, those of its owner too.
	Packages []android.Package
	Net      *impact.Net
	// Labels are names on screen, where they are known.
	Labels map[android.PackageName]string
	// Refused and ComesBack count the trials in which phones of this build
	// would not let a package go, and those in which it returned.
	Refused, ComesBack map[android.PackageName]int
	// Images is how packages lie on the image, of a phone that was asked for root.
	Images map[android.PackageName]android.Image
}

// Would is what would become of a step on this phone.
type Would string

// What would become of a step.
const (
	WouldGo      Would = "goes"
	WouldQuieten Would = "quietens"
	WouldAlready Would = "already"
	WouldAbsent  Would = "absent"
	// WouldRefuse goes as far as anybody knows against the phone's will.
	WouldRefuse Would = "refuses"
	LeftOut     Would = "left-out"
	// WouldDo is for steps that take nothing off; ToSee for those that a
	// person sees to before.
	WouldDo Would = "does"
	ToSee   Would = "to-see"
)

// Row is a step of the release and what would become of it.
type Row struct {
	profile.Step
	Would Would `json:"would" enum:"goes,quietens,already,absent,refuses,left-out,does,to-see"`
	// Code says why for programs, Why for people; both "" where Would says all.
	Code Because `json:"code,omitempty" enum:"active-administrator,by-hand,copy-put-in,file-given,file-wanted,gone-before,holds,holds-not,holds-role,image-erased,image-leaned-on,image-masked,image-no-root,image-no-way,image-not-asked,in-place,install-first,kept,left,lock-code-unknown,no-administrator,not-needed,not-there,off-before,only-a-person-tells,refused-here,seen-to,step-left-out,takes-role"`
	Why  string  `json:"why"`
	// Off is true where a gentler method does it here, as Method says.
	Off bool `json:"off,omitempty"`
	// WithData is true where what it had written goes, too, that is taken out of the
	// image; ImageBytes are freed there.
	WithData   bool  `json:"withData,omitempty"`
	ImageBytes int64 `json:"imageBytes,omitempty"`
	// ComesBack counts trials on this build in which it returned.
	ComesBack int `json:"comesBack,omitempty"`
}

// say notes what becomes of a step and why.
func (r *Row) say(would Would, code Because, why string) { r.Would, r.Code, r.Why = would, code, why }

// Because is why a step comes to what it does.
type Because string

// Why steps come to what they do.
const (
	BecauseActiveAdministrator Because = "active-administrator"
	BecauseByHand              Because = "by-hand"
	BecauseCopyPutIn           Because = "copy-put-in"
	BecauseGoneBefore          Because = "gone-before"
	BecauseHolds               Because = "holds"
	BecauseHoldsNot            Because = "holds-not"
	BecauseHoldsRole           Because = "holds-role"
	BecauseFileGiven           Because = "file-given"
	BecauseFileWanted          Because = "file-wanted"
	BecauseImageErased         Because = "image-erased"
	BecauseImageLeanedOn       Because = "image-leaned-on" // by a role or a hard link
	BecauseImageMasked         Because = "image-masked"
	BecauseImageNoRoot         Because = "image-no-root"
	BecauseImageNoWay          Because = "image-no-way"
	BecauseImageNotAsked       Because = "image-not-asked" // the phone, for root
	BecauseInPlace             Because = "in-place"
	BecauseInstallFirst        Because = "install-first"
	// For a function that the owner wants, or because somebody said so.
	BecauseKept             Because = "kept"
	BecauseLeft             Because = "left"
	BecauseLockCodeUnknown  Because = "lock-code-unknown"
	BecauseNoAdministrator  Because = "no-administrator"
	BecauseNotNeeded        Because = "not-needed"
	BecauseNotThere         Because = "not-there"
	BecauseOffBefore        Because = "off-before"
	BecauseOnlyAPersonTells Because = "only-a-person-tells"
	BecauseRefusedHere      Because = "refused-here"
	BecauseSeenTo           Because = "seen-to"
	BecauseStepLeftOut      Because = "step-left-out"
	BecauseTakesRole        Because = "takes-role"
)

// Stop is something that stands in the way of running it.
type Stop struct {
	Code  StopCode `json:"code" enum:"nobody-does,would-stop,not-seen-to,install-first,other-model,other-firmware,nothing-goes,marked,root-first"`
	Words string   `json:"words"`
}

// StopCode is what kind of thing stands in the way.
type StopCode string

// What can stand in the way.
const (
	NobodyDoes     StopCode = "nobody-does" // a job that a phone can't be without
	WouldStop      StopCode = "would-stop"
	NotSeenTo      StopCode = "not-seen-to"
	PutInFirst     StopCode = "install-first"
	OtherModel     StopCode = "other-model"
	OtherFirmware  StopCode = "other-firmware" // for whoever wants it all the same
	NothingGoes    StopCode = "nothing-goes"
	MarkedAsNotFor StopCode = "marked" // the release, for the phone's firmware
	RootFirst      StopCode = "root-first"
)

// StopWords are what stands in the way, for people.
func StopWords(stops []Stop) string {
	words := make([]string, len(stops))
	for i, s := range stops {
		words[i] = s.Words
	}
	return strings.Join(words, "; ")
}

// Owner is an app that the phone's owner installed and that rests on something
// that goes.
type Owner struct {
	Package  android.PackageName   `json:"package"`
	Label    string                `json:"label"`
	On       []android.PackageName `json:"on" nullable:"false"`
	Strength impact.Strength       `json:"strength" enum:"hard,soft"`
	Why      string                `json:"why"`
}

// Question asks the phone's owner about a function that the run would cost.
type Question struct {
	Function string                `json:"function"`
	Asks     string                `json:"asks"`
	Packages []android.PackageName `json:"packages" nullable:"false"`
	Seen     bool                  `json:"seen" doc:"Trials found it missing; else people say that the packages carry it"`
	Kept     bool                  `json:"kept"`
}

// Count says how many removals come to what.
type Count struct {
	Goes     int `json:"goes"`
	Quietens int `json:"quietens"`
	Already  int `json:"already"`
	Absent   int `json:"absent"`
	Refuses  int `json:"refuses"`
	LeftOut  int `json:"leftOut"`
}

// Rehearsal is what a run would do to a phone.
type Rehearsal struct {
	Fit       Fit        `json:"fit" enum:"proven,same-model,not-made"`
	FitWhy    string     `json:"fitWhy"`
	Rows      []Row      `json:"rows" nullable:"false"`
	Count     Count      `json:"count"`
	Questions []Question `json:"questions" nullable:"false"`
	// Consequences are those on this very phone.
	Consequences   []impact.Consequence  `json:"consequences" nullable:"false"`
	Jobs           []profile.RoleThen    `json:"jobs" nullable:"false"`
	Owners         []Owner               `json:"owners" nullable:"false"`
	LockCode       android.LockCode      `json:"lockCode"`
	Administrators []android.PackageName `json:"administrators" nullable:"false"`
	// Bytes are freed for the user, ImageBytes on the image; Starters no longer start
	// with the phone.
	Bytes      int64 `json:"bytes"`
	ImageBytes int64 `json:"imageBytes"`
	Starters   int   `json:"starters"`
	// Root is what the phone answered when it was asked for root, "" where nobody
	// has asked or nothing needs it.
	Root android.RootAnswer `json:"root" enum:"su,adbd,refused,none,"`
	// Found is what else the phone told of its image in words: SELinux, dm-verity and
	// verified boot.
	Found string `json:"found"`
	// MaskedBecause says in words why packages are masked and not erased, "" where
	// none is.
	MaskedBecause string `json:"maskedBecause"`
	// Stops says why it can't be run as it is; none where it can.
	Stops []Stop `json:"stops" nullable:"false"`
}

// asks are questions to an owner in plain words; others are asked by name.
var asks = map[string]string{
	"payments": "Do you pay by touch?", "transit": "Do you ride with a transit card that is in the phone?", "voice": "Do you talk to the voice assistant?",
	"calls": "Do you call with it?", "messages": "Do you write text messages?", "camera": "Do you take pictures with the built-in camera?", "printing": "Do you print from it?",
	"calendar": "Do you use the built-in calendar?", "weather": "Do you look at the built-in weather?", "photo-backup": "Are your pictures saved by the maker's own app?",
	"accessibility": "Do you use large print, read-aloud or other help?", "unlocking": "Do you unlock it by face or finger?", "browsing": "Do you browse with the built-in browser?",
	"music": "Do you play music with the built-in player?", "email": "Do you read mail with the built-in app?", "notes": "Do you keep notes in the built-in app?",
	"games": "Do you play the games that came with it?", "shopping": "Do you shop with the app that came with it?", "news": "Do you read the news that came with it?",
	"social": "Do you use the social app that came with it?", "casting": "Do you send pictures to a television?", "maps": "Do you find your way with the built-in map?",
}

// Ask is the question about a function.
func Ask(function string) string {
	if q, ok := asks[function]; ok {
		return q
	}
	return "Do you use it for " + strings.ReplaceAll(function, "-", " ") + "?"
}

// rehearser works one rehearsal out.
type rehearser struct {
	Subject
	d         *profile.Document
	c         Choices
	there, on map[android.PackageName]bool
	set       impact.Removal
	r         Rehearsal
}

// Rehearse works out what a release would do to a phone, changing nothing.
func Rehearse(d *profile.Document, s Subject, c Choices) Rehearsal {
	w := &rehearser{Subject: s, d: d, c: c, there: map[android.PackageName]bool{}, on: map[android.PackageName]bool{}, set: impact.Removal{},
		r: Rehearsal{
			Rows:           []Row{},
			Questions:      []Question{},
			Consequences:   []impact.Consequence{},
			Jobs:           []profile.RoleThen{},
			Owners:         []Owner{},
			Stops:          []Stop{},
			LockCode:       s.Facts.LockCode,
			Administrators: s.Facts.Administrators,
		}}
	if w.r.Administrators == nil {
		w.r.Administrators = []android.PackageName{}
	}
	for i := range s.Packages {
		p := &s.Packages[i]
		w.there[p.Name] = p.Installed
		w.on[p.Name] = p.Installed && p.Enabled.On()
	}
	w.r.Fit, w.r.FitWhy = Fits(d, s.Identity)
	w.removals()
	w.others()
	w.questions()
	w.outcome()
	w.owners()
	w.jobs()
	w.stops()
	return w.r
}

// removals says of each package what would become of it.
func (w *rehearser) removals() {
	kept := w.c.keeps(w.d)
	for _, s := range w.d.Removals() {
		row := Row{Step: s, Would: WouldGo, ComesBack: w.ComesBack[s.Package]}
		row.Method = w.c.method(s)
		row.Off = row.Method != s.Method
		code, why, left := w.c.leaves(s, kept)
		_, known := w.there[s.Package]
		switch {
		case !known:
			row.say(WouldAbsent, BecauseNotThere, "not on this phone")
			w.r.Count.Absent++
		case !w.there[s.Package]:
			row.say(WouldAlready, BecauseGoneBefore, "gone before")
			w.r.Count.Already++
		case (row.Method == evidence.Quieten || row.Method == evidence.Disable) && !w.on[s.Package]:
			row.say(WouldAlready, BecauseOffBefore, "switched off before")
			w.r.Count.Already++
		case left:
			row.say(LeftOut, code, why)
			w.r.Count.LeftOut++
		case row.Method == evidence.RemoveFromImage:
			w.fromImage(&row)
		case row.Method == evidence.Quieten:
			row.say(WouldQuieten, "", "stays, and is made quiet")
			w.r.Count.Quietens++
		case w.Refused[s.Package] > 0 && row.Method != evidence.Disable:
			row.say(WouldRefuse, BecauseRefusedHere, "phones of this build refused it in "+wording.Count(w.Refused[s.Package], "trial"))
			w.r.Count.Refuses++
			w.set[s.Package] = row.Method
		default:
			w.r.Count.Goes++
			w.set[s.Package] = row.Method
		}
		w.r.Rows = append(w.r.Rows, row)
	}
}

// questions are about the functions that this run costs, whoever answered yes
// already included.
func (w *rehearser) questions() {
	for _, loss := range w.d.Costs {
		q := Question{
			Function: loss.Function,
			Asks:     Ask(loss.Function),
			Packages: []android.PackageName{},
			Seen:     loss.Seen,
			Kept:     slices.Contains(w.c.Keep, loss.Function),
		}
		for _, name := range loss.Packages {
			if w.on[name] {
				q.Packages = append(q.Packages, name)
			}
		}
		if len(q.Packages) > 0 {
			w.r.Questions = append(w.r.Questions, q)
		}
	}
}

// outcome works out the consequences on this phone as it is.
func (w *rehearser) outcome() {
	known := impact.Known{
		Conditions: map[android.PackageName][]string{},
		Refused:    w.Refused,
		ComesBack:  map[android.PackageName]int{},
		Before:     impact.Before{Held: map[string]android.PackageName{}},
	}
	for _, row := range w.r.Rows {
		if row.Kind == profile.Remove && w.set[row.Package] != "" {
			known.Conditions[row.Package] = row.Conditions
			if row.ComesBack > 0 {
				known.ComesBack[row.Package] = row.ComesBack
			}
		}
		if row.Kind == profile.PutIn && row.Role != "" && row.Would != LeftOut && row.Would != ToSee {
			known.Before.Held[row.Role] = row.Package
		}
	}
	w.r.Consequences = append(w.r.Consequences, w.Net.Consequences(w.set, known)...)
	for _, c := range w.r.Consequences {
		switch c.Code {
		case "bytes-freed":
			w.r.Bytes = c.Bytes // what goes from the image is counted by itself
		case "starter-gone":
			w.r.Starters++
		}
	}
}

// owners are apps that the owner installed and that rest on something that
// goes.
func (w *rehearser) owners() {
	for i := range w.Packages {
		p := &w.Packages[i]
		if !p.Installed || p.Preinstalled() {
			continue
		}
		on, _ := w.Net.Around(p.Name)
		o := Owner{Package: p.Name, Label: w.Labels[p.Name], On: []android.PackageName{}, Strength: impact.Soft}
		for _, l := range on {
			if w.set[l.On] == "" || l.Kind == impact.SharedUID {
				continue
			}
			o.On = append(o.On, l.On)
			if o.Why == "" || l.Strength == impact.Hard && o.Strength == impact.Soft {
				o.Why = string(l.Kind) + " " + strings.Join(l.By, ", ")
			}
			if l.Strength == impact.Hard {
				o.Strength = impact.Hard
			}
		}
		if len(o.On) > 0 {
			w.r.Owners = append(w.r.Owners, o)
		}
	}
}

// jobs are who does what afterwards, on this phone.
func (w *rehearser) jobs() {
	for _, r := range w.Net.Roles {
		job := profile.RoleThen{Role: r.Name, Class: r.Class, State: "kept", By: []android.PackageName{}}
		for _, name := range r.Able {
			if w.set[name] == "" {
				job.By = append(job.By, name)
			}
		}
		for _, row := range w.r.Rows {
			if row.Kind == profile.PutIn && row.Role == r.Name && row.Would != LeftOut && row.Would != ToSee {
				job.State, job.By = "put-in", []android.PackageName{row.Package}
			}
		}
		if len(job.By) == 0 {
			job.State, job.By = "emptied", r.Able
		}
		if r.Class != impact.Optional || job.State == "emptied" {
			w.r.Jobs = append(w.r.Jobs, job)
		}
	}
	if w.Net.RolesUnknown() {
		w.r.Jobs = append(w.r.Jobs, profile.RoleThen{Class: impact.Vital, State: "unknown", By: []android.PackageName{}})
	}
}

// stops says what stands in the way of running it.
func (w *rehearser) stops() {
	add := func(code StopCode, format string, args ...any) {
		w.r.Stops = append(w.r.Stops, Stop{code, fmt.Sprintf(format, args...)})
	}
	for _, c := range w.r.Consequences {
		if c.Severity != impact.Stops {
			continue
		}
		if c.Role != "" {
			add(NobodyDoes, "nobody could be the phone's %s any more: put another in first, or leave %s", c.Role, names(c.Packages))
		} else {
			add(WouldStop, "%s: %s", names(c.Packages), c.Why)
		}
	}
	if n := w.needRoot(); n > 0 {
		add(RootFirst, "%s can only be taken out of the image with root: ask the phone for it, remove them for the user, or leave them",
			wording.Count(n, "package"))
	}
	for _, row := range w.r.Rows {
		if row.Would == ToSee && row.Kind == profile.Check {
			add(NotSeenTo, "step %d is not seen to: %s", row.Number, row.Text)
		}
		if row.Would == ToSee && row.Kind == profile.PutIn && (row.Role != "" || row.File != nil) {
			name := row.Label
			if name == "" {
				name = string(row.Package)
			}
			if row.File != nil {
				add(PutInFirst, "the file of %s is wanted: give it, or leave step %d out", name, row.Number)
				continue
			}
			add(PutInFirst, "%s is not on this phone: install it first, or leave step %d out", name, row.Number)
		}
	}
	switch {
	case w.r.Fit == NotMade:
		add(OtherModel, "this was made for another model")
	case !MadeFor(w.d, w.Identity.Fingerprint) && !w.c.Anyway:
		add(OtherFirmware, "this was not made for the phone's firmware: say that you want it all the same")
	}
	if len(w.set)+w.r.Count.Quietens == 0 {
		add(NothingGoes, "nothing of it would go")
	}
}

func names(list []android.PackageName) string {
	words := make([]string, len(list))
	for i, n := range list {
		words[i] = string(n)
	}
	if len(words) > 3 {
		return strings.Join(words[:3], ", ") + fmt.Sprintf(" and %d more", len(words)-3)
	}
	return strings.Join(words, ", ")
}
