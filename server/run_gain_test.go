package server_test

import (
	"strings"
	"testing"
)

// TestRunMeasured runs with a measurement before and after: the run says what it
// brought, by what the phone attributed to what has gone, and its steps hold no
// owner's app.
func TestRunMeasured(t *testing.T) {
	t.Parallel()
	f := fit(t, nil, nil, append(removable, "com.brannock.feed.daily")...)
	id := f.start(map[string]any{"measure": true})
	f.ended(id, "finished")
	type part struct {
		Package string
		Memory  float64
	}
	got := get[struct {
		Run   struct{ Restarted bool }
		Steps []struct{ Kind, State, Words string }
		Gain  *struct {
			Before, After []struct {
				MemAvailable float64
				Uses         map[string]any
			}
			Gained  map[string]struct{ Gained float64 }
			Parts   []part
			Nothing []string
			Doubts  []string
		}
		Brings map[string]any
	}](f.site, f.cookie, "/api/v1/runs/"+id)
	g := got.Gain
	if g == nil || len(g.Before) != 1 || len(g.After) != 1 || len(g.Before[0].Uses) != 0 || g.Gained["processes"].Gained < 3 ||
		g.Gained["memory"].Gained != g.After[0].MemAvailable-g.Before[0].MemAvailable || g.Gained["memory"].Gained < 40<<20 || g.Gained["start"].Gained <= 0 {
		t.Fatalf("%+v", g)
	}
	if len(g.Parts) < 3 || g.Parts[0].Package != "com.brannock.feed.daily" || g.Parts[0].Memory < 40<<20 || len(g.Nothing) == 0 {
		t.Errorf("%+v, nothing of %v", g.Parts, g.Nothing)
	}
	if got.Brings != nil {
		t.Error("a draft brings what a release does")
	}
	measured := 0
	for _, s := range got.Steps {
		if s.Kind == "measure" && s.State == "done" && strings.Contains(s.Words, "processes") {
			measured++
		}
	}
	if measured != 2 || got.Steps[0].Kind != "restart" || !got.Run.Restarted {
		t.Errorf("%d were measured: %+v", measured, got.Steps)
	}
	// Another one without: nothing is said of what it brought.
	f.expect(204, f.cookie, "POST", "/api/v1/runs/"+id+"/put-back", map[string]any{})
	f.ended(id, "put-back")
	again := f.start(nil)
	f.ended(again, "finished")
	if body := string(f.do(f.cookie, "GET", "/api/v1/runs/"+again, nil).body); strings.Contains(body, `"gain"`) {
		t.Error("it was not measured, and says what it brought")
	}
}
