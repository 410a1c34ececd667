package evidence

import (
	"fmt"
	"math"
	"math/rand/v2"
	"reflect"
	"slices"
	"strings"
	"testing"
	"testing/quick"
)

func near4(a, b float64) bool { return math.Abs(a-b) < 5e-5 }

// TestLimits holds the limits to published values: the rule of three's exact
// forms 1 - 0.05^(1/n), tables of one-sided Clopper-Pearson limits, and their
// ends.
func TestLimits(t *testing.T) {
	for _, c := range []struct{ harmed, clean, floor, ceiling float64 }{
		{0, 0, 0, 1},
		{0, 1, 0, 0.95},
		{0, 10, 0, 0.2589},
		{0, 59, 0, 0.0495},
		{1, 0, 0.05, 1},
		{1, 9, 0.0051, 0.3942},
		{2, 8, 0.0368, 0.5069},
		{5, 5, 0.2224, 0.7776},
		{10, 0, 0.7411, 1},
		{3, 17, 0.0422, 0.3437},
	} {
		if got := Ceiling(c.harmed, c.clean); !near4(got, c.ceiling) {
			t.Errorf("Ceiling(%v, %v) = %.4f, want %.4f", c.harmed, c.clean, got, c.ceiling)
		}
		if got := Floor(c.harmed, c.clean); !near4(got, c.floor) {
			t.Errorf("Floor(%v, %v) = %.4f, want %.4f", c.harmed, c.clean, got, c.floor)
		}
	}
	// Whole n: 1 - 0.05^(1/n); it holds for fractional n, too.
	for _, n := range []float64{0.1, 0.5, 2.5, 33.3} {
		if got, want := Ceiling(0, n), 1-math.Pow(0.05, 1/n); !near4(got, want) {
			t.Errorf("Ceiling(0, %v) = %v, want %v", n, got, want)
		}
	}
}

func TestBetween(t *testing.T) {
	at := func(build, model, maker, release string) Firmware { return Firmware{build, model, maker, release} }
	target := at("b1", "m1", "k1", "14")
	for _, c := range []struct {
		trial  Firmware
		target Firmware
		want   Distance
		tau    float64
	}{
		{at("b1", "m1", "k1", "14"), target, SameBuild, 1},
		{at("b2", "m1", "k1", "14"), target, SameModelRelease, 0.8},
		{at("b3", "m1", "k1", "15"), target, SameModel, 0.5},
		{at("b4", "m2", "k1", "14"), target, SameMakerRelease, 0.3},
		{at("b5", "m2", "k1", "15"), target, SameMaker, 0.2},
		{at("b6", "m3", "k2", "14"), target, Otherwise, 0.1},
		{at("b1", "m1", "k1", "14"), at("", "", "k1", ""), SameMaker, 0.2},
		{at("b1", "m1", "k1", "14"), Firmware{}, Otherwise, 0.1},
	} {
		if got := Between(c.trial, c.target); got != c.want || DefaultTransfer.Weight(got) != c.tau {
			t.Errorf("%+v from %+v: %v, want %v", c.trial, c.target, got, c.want)
		}
	}
	if (Transfer{1, 0.5, 0.8, 0.3, 0.2, 0.1, 0.3}).Check() == nil || (Transfer{2, 1, 1, 1, 1, 1, 0}).Check() == nil || DefaultTransfer.Check() != nil {
		t.Error("a table that makes no sense was accepted, or the default refused")
	}
}

var here = Firmware{"b1", "m1", "k1", "14"}

func trial(id int, phone, person string, o Outcome) Trial {
	return Trial{ID: fmt.Sprint(id), Phone: phone, Person: person, On: here, Method: RemoveForUser, Outcome: o}
}

func TestWeigh(t *testing.T) {
	far := here
	far.Build = "b2"
	onFar := func(x Trial) Trial { x.On = far; return x }
	trials := []Trial{
		trial(1, "p1", "ann", Clean), trial(2, "p2", "ann", Clean), trial(3, "p3", "ann", Clean),
		onFar(trial(4, "p4", "bob", Clean)),
		trial(5, "p5", "bob", FunctionLost),
		// the same phone twice: the worse outcome stands
		trial(6, "p6", "cat", Clean), trial(7, "p6", "dan", Fault),
		trial(8, "p7", "eve", Refused),
	}
	f := Weigh(trials, RemoveForUser, here, DefaultYardstick)
	clean := 1 + 1/math.Sqrt2 + 1/math.Sqrt(3) + 0.8
	if !near4(f.Weight, clean+2) || !near4(f.Harmed, 2) || f.Phones != 6 || f.People != 3 || f.HarmedPhones != 2 {
		t.Errorf("%+v", f)
	}
	if !near4(f.Ceiling, Ceiling(2, clean)) || !near4(f.SevereCeiling, Ceiling(1, clean+1)) || f.Standing != Contested {
		t.Errorf("%+v", f)
	}
	if got := Strip(trials, RemoveForUser, here); got != "cccrlf/c" {
		t.Errorf("strip %q", got)
	}
}

func TestMethods(t *testing.T) {
	one := func(m Method, o Outcome) []Trial {
		x := trial(1, "p", "a", o)
		x.Method = m
		return []Trial{x}
	}
	for _, c := range []struct {
		seen Method
		o    Outcome
		want string // which of Methods it counts for
	}{
		{Quieten, Clean, "1000"}, {Quieten, FunctionLost, "1111"}, {Quieten, Refused, "0000"},
		{Disable, Clean, "0100"}, {Disable, Fault, "0101"}, {RemoveForUser, Clean, "0110"}, {RemoveForUser, NoStart, "0111"},
		{RemoveFromImage, Clean, "0001"}, {RemoveFromImage, Fault, "0001"}, {RemoveForUser, Refused, "0000"},
	} {
		got := ""
		for _, m := range Methods {
			got += fmt.Sprint(len(Weigh(one(c.seen, c.o), m, here, DefaultYardstick).Counted))
		}
		if got != c.want {
			t.Errorf("%s %s counts for %s, want %s", c.seen, c.o, got, c.want)
		}
	}
}

func TestStanding(t *testing.T) {
	many := func(n int, o Outcome) (list []Trial) {
		for i := range n {
			list = append(list, trial(i, fmt.Sprint("p", o, i), fmt.Sprint("a", i), o))
		}
		return list
	}
	for _, c := range []struct {
		trials []Trial
		want   Standing
	}{
		{nil, Untried}, {many(3, Refused), Untried}, {append(many(5, Clean), many(1, Fault)...), Contested}, {many(19, Clean), Firm},
		{many(5, NoStart), Firm}, {many(2, Clean), Thin}, {many(8, Clean), Fair}, {append(many(1, Clean), many(12, Fault)...), Firm},
	} {
		if got := Weigh(c.trials, RemoveForUser, here, DefaultYardstick).Standing; got != c.want {
			t.Errorf("%d trials: %s, want %s", len(c.trials), got, c.want)
		}
	}
}

func TestSuggest(t *testing.T) {
	clean := func(phones, people int) (list []Trial) {
		for i := range phones {
			list = append(list, trial(i, fmt.Sprint("p", i), fmt.Sprint("a", i%people), Clean))
		}
		return list
	}
	lost := trial(90, "x", "z", FunctionLost)
	lost.Function = "payments"
	farNoStart := trial(91, "y", "z", NoStart)
	farNoStart.On = Firmware{"q", "q", "k1", "14"}
	for _, c := range []struct {
		name   string
		trials []Trial
		s      Structure
		want   Load
		words  string
	}{
		{"untried", nil, Structure{}, Unproven, "nobody"},
		{"enough", clean(12, 4), Structure{}, Loose, "12 phones and 4 people"},
		{"one person alone", clean(60, 1), Structure{}, Unproven, "1 person"},
		{"too few phones", clean(2, 2), Structure{}, Unproven, "Loose wants"},
		{"a function", append(clean(12, 4), lost), Structure{}, LeanedOn, "payments"},
		{"a fault", append(clean(12, 4), lost, trial(92, "w", "z", Fault)), Structure{}, TiedIn, "misbehaved"},
		{"no start", append(clean(12, 4), trial(93, "w", "z", NoStart)), Structure{}, LoadBearing, "did not start"},
		{"no start far away", append(clean(30, 10), farNoStart), Structure{}, Loose, ""},
		{"a role", clean(12, 4), Structure{HoldsRole: "browser"}, LeanedOn, "browser"},
		{"a hard link", clean(12, 4), Structure{BreaksHardLink: "com.example.b"}, TiedIn, "com.example.b"},
		{"a vital role", clean(12, 4), Structure{EmptiesVitalRole: "keyboard"}, LoadBearing, "keyboard"},
	} {
		got := Suggest(Weigh(c.trials, RemoveForUser, here, DefaultYardstick), c.s, DefaultThresholds)
		var words []string
		for _, r := range got.Reasons {
			words = append(words, r.Text)
		}
		if got.Load != c.want || !strings.Contains(strings.Join(words, "; "), c.words) {
			t.Errorf("%s: %s because %q", c.name, got.Load, words)
		}
	}
}

// random makes trials that a property can be tried on.
func random(r *rand.Rand, n int) []Trial {
	firmwares := []Firmware{here, {"b2", "m1", "k1", "14"}, {"b3", "m1", "k1", "15"}, {"b4", "m2", "k1", "14"}, {"b5", "m3", "k2", "14"}}
	list := make([]Trial, n)
	for i := range list {
		list[i] = Trial{ID: fmt.Sprint(i), Phone: fmt.Sprint("p", r.IntN(n+1)), Person: fmt.Sprint("a", r.IntN(5)), On: firmwares[r.IntN(len(firmwares))],
			Method: Methods[r.IntN(2)], Outcome: Outcomes[min(r.IntN(9), 4)*r.IntN(2)]}
	}
	return list
}

func TestProperties(t *testing.T) {
	weigh := func(list []Trial) Figures { return Weigh(list, Disable, here, DefaultYardstick) }
	added := func(o Outcome, on int) Trial {
		x := trial(1000, "a phone never seen", "somebody new", o)
		x.On = []Firmware{here, {"b2", "m1", "k1", "14"}, {"b5", "m3", "k2", "14"}}[on]
		return x
	}
	property := func(seed uint64) bool {
		r := rand.New(rand.NewPCG(seed, 1))
		list := random(r, r.IntN(40))
		before := weigh(list)
		shuffled := append([]Trial{}, list...)
		r.Shuffle(len(shuffled), func(i, j int) { shuffled[i], shuffled[j] = shuffled[j], shuffled[i] })
		after := weigh(shuffled)
		if after.Ceiling != before.Ceiling || after.Floor != before.Floor || after.Weight != before.Weight {
			t.Log("order matters")
			return false
		}
		if c := weigh(append(list[:len(list):len(list)], added(Clean, r.IntN(3)))); c.Ceiling > before.Ceiling+1e-9 {
			t.Log("a clean phone raised the ceiling")
			return false
		}
		if h := weigh(append(list[:len(list):len(list)], added(Fault, r.IntN(3)))); h.Ceiling < before.Ceiling-1e-9 || h.Floor < before.Floor-1e-9 {
			t.Log("a harm lowered a limit")
			return false
		}
		return before.Floor <= before.Ceiling && before.SevereCeiling <= before.Ceiling+1e-9
	}
	if err := quick.Check(property, &quick.Config{MaxCount: 400}); err != nil {
		t.Error(err)
	}
}

// TestGatherAll holds gathering for every method at once to gathering for each.
func TestGatherAll(t *testing.T) {
	t.Parallel()
	r := rand.New(rand.NewPCG(3, 1))
	for n := range 200 {
		list := random(r, n%30)
		if n%2 == 0 {
			list = slices.DeleteFunc(list, func(t Trial) bool { return t.Method == Disable })
		}
		for i, g := range GatherAll(list) {
			if want := Gather(list, Methods[i]); !g.Same(want) || !alike(g, want, here) {
				t.Fatalf("%s of %+v: %+v, want %+v", Methods[i], list, g, want)
			}
		}
	}
}

// TestGatheredWith holds adding one trial to gathering all of them.
func TestGatheredWith(t *testing.T) {
	t.Parallel()
	r := rand.New(rand.NewPCG(5, 1))
	again := 0
	for n := range 600 {
		list := random(r, 1+n%30)
		for i := range list {
			list[i].Outside = r.IntN(4) == 0
		}
		last := len(list) - 1
		for _, m := range Methods {
			before := Gather(list[:last], m)
			strip := before.Strip(here)
			got, ok := before.With(&list[last], m)
			if !ok {
				again++
				continue
			}
			want := Gather(list, m)
			for _, from := range []Firmware{here, list[0].On, list[last].On, {}} {
				if !alike(got, want, from) {
					t.Fatalf("%s of %+v: %+v, want %+v", m, list, got, want)
				}
			}
			if before.Strip(here) != strip || !got.Same(want) {
				t.Fatalf("%s of %+v: what was there before has changed", m, list)
			}
		}
	}
	if again == 0 || again > 1200 {
		t.Errorf("%d of 2400 were to be gathered again", again)
	}
}

// alike reports whether two gatherings come to the same figures and strip from a
// target.
func alike(a, b Gathered, from Firmware) bool {
	figures := func(g Gathered) Figures { return g.From(from, DefaultYardstick, &Limits{}) }
	return reflect.DeepEqual(figures(a), figures(b)) && a.Strip(from) == b.Strip(from)
}

func TestTenthPhoneCountsLess(t *testing.T) {
	var nine []Trial
	for i := range 9 {
		nine = append(nine, trial(i, fmt.Sprint("p", i), "ann", Clean))
	}
	tenth := Weigh(append(nine[:9:9], trial(9, "p9", "ann", Clean)), RemoveForUser, here, DefaultYardstick)
	first := Weigh(append(nine[:9:9], trial(9, "p9", "bob", Clean)), RemoveForUser, here, DefaultYardstick)
	if !(first.Ceiling < tenth.Ceiling) {
		t.Errorf("another person's first phone: %v, the same person's tenth: %v", first.Ceiling, tenth.Ceiling)
	}
}

func TestSentence(t *testing.T) {
	on := func(x Trial, build, release string) Trial { x.On.Build, x.On.Release = build, release; return x }
	for _, c := range []struct {
		trials []Trial
		want   string
	}{
		{nil, "Nobody has tried it: nothing is known about Lyra 5 phones."},
		{[]Trial{trial(1, "p1", "a", Clean)}, "1 phone, 1 person, none harmed: at most 95 % of Lyra 5 phones harmed."},
		{[]Trial{trial(1, "p1", "a", Clean), trial(2, "p2", "b", Fault)}, "2 phones, 2 people, one fault on Android 14: at most 98 % of Lyra 5 phones harmed, and at least 2 %; contested."},
		{[]Trial{trial(1, "p1", "a", Clean), on(trial(2, "p2", "b", NoStart), "b3", "15"), trial(3, "p3", "b", Clean), trial(4, "p4", "c", Clean), on(trial(5, "p5", "b", FunctionLost), "b3", "15"), on(trial(6, "p6", "b", FunctionLost), "b3", "15")},
			"6 phones, 3 people, one phone that did not start on Android 15, 2 lost functions on Android 15: at most 79 % of Lyra 5 phones harmed, and at least 4 %; contested on 15."},
	} {
		if got := Sentence(Weigh(c.trials, RemoveForUser, here, DefaultYardstick), "Lyra 5 phones", DefaultThresholds); got != c.want {
			t.Errorf("got  %s\nwant %s", got, c.want)
		}
	}
}

func TestContradictions(t *testing.T) {
	far := func(x Trial) Trial { x.On = Firmware{"x", "x", "x", "9"}; return x }
	back := trial(9, "p9", "z", Clean)
	back.CameBack = true
	known := []Trial{trial(1, "p1", "a", Clean), trial(2, "p2", "b", Clean), trial(3, "p3", "c", Fault), trial(4, "p4", "c", Refused), far(trial(5, "p5", "d", NoStart))}
	for _, c := range []struct {
		name  string
		known []Trial
		added Trial
		want  []string
	}{
		{"nothing known", nil, trial(9, "p9", "z", NoStart), nil},
		{"clean against a fault", known[:3], trial(9, "p9", "z", Clean), []string{"1 phone near this firmware ended in a fault"}},
		{"a harm against clean ones", known[:2], trial(9, "p9", "z", FunctionLost), []string{"2 phones near this firmware went clean"}},
		{"what a far one says is no contradiction", known[4:], trial(9, "p9", "z", Clean), nil},
		{"the same phone", known[:1], trial(9, "p1", "z", Fault), []string{"1 phone near this firmware went clean", "this phone is on record as clean; the worse outcome stands"}},
		{"refused before", known[3:4], trial(9, "p9", "z", Clean), []string{"this build refused it before (1 trial)"}},
		{"refused against clean ones", known[:2], trial(9, "p9", "z", Refused), []string{"other phones near this firmware let it go"}},
		{"back against held", known[:2], back, []string{"on other phones of this build it stayed away"}},
		{"more of the same", known[:2], trial(9, "p9", "z", Clean), nil},
	} {
		if got := Contradictions(c.known, c.added, DefaultYardstick); !slices.Equal(got, c.want) {
			t.Errorf("%s: %q, want %q", c.name, got, c.want)
		}
	}
}

// many are trials of what ships everywhere: 500 of as many phones by 40 people, on 200
// builds of 50 models.
func many() (trials []Trial) {
	for i := range 500 {
		model := fmt.Sprintf("00000000-0000-7000-8000-%012d", i%50)
		on := Firmware{Build: fmt.Sprintf("00000000-0000-7000-9000-%012d", i*7%200), Model: model, Maker: "m" + model[35:], Release: "14"}
		trials = append(trials, Trial{
			ID: fmt.Sprintf("00000000-0000-7000-a000-%012d", i*31%500), Phone: fmt.Sprintf("%040d", i*17%500), On: on,
			Person: fmt.Sprintf("00000000-0000-7000-b000-%012d", i*13%40), Method: RemoveForUser, Outcome: Outcomes[max(0, i%20-16)],
		})
	}
	return trials
}

func BenchmarkGather(b *testing.B) {
	trials := many()
	b.ReportAllocs()
	for b.Loop() {
		Gather(trials, RemoveForUser)
	}
}

// BenchmarkSummary sees them from every model.
func BenchmarkSummary(b *testing.B) {
	trials := many()
	g := Gather(trials, RemoveForUser)
	var limits Limits
	b.ReportAllocs()
	for b.Loop() {
		for _, t := range trials[:50] {
			g.Summary(t.On, DefaultYardstick, &limits)
		}
	}
}

func BenchmarkWeigh(b *testing.B) {
	list := random(rand.New(rand.NewPCG(1, 1)), 30)
	b.ReportAllocs()
	for b.Loop() {
		Weigh(list, RemoveForUser, here, DefaultYardstick)
	}
}

// TestWeighingAllocatesLittle holds the loop that runs for every package of every
// page to what it takes now.
func TestWeighingAllocatesLittle(t *testing.T) {
	list := random(rand.New(rand.NewPCG(1, 1)), 30)
	if n := testing.AllocsPerRun(50, func() { Weigh(list, RemoveForUser, here, DefaultYardstick) }); n > 40 {
		t.Errorf("weighing 30 trials allocates %v times", n)
	}
}
