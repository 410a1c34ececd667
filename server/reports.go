package server

import (
	"context"
	"crypto/rand"
	"encoding/base64"
	"fmt"
	"net/http"
	"slices"
	"strings"
	"sync"
	"time"
	"unicode/utf8"

	"github.com/danielgtaylor/huma/v2"
	"github.com/google/uuid"
	"golang.org/x/time/rate"

	"roster/core/android"
	"roster/core/change"
	"roster/core/evidence"
	"roster/core/profile"
	"roster/store"
)

// reportBody is what a stranger tells.
type reportBody struct {
	Release     string              `json:"release,omitempty" maxLength:"300" doc:"The release's address, such as /r/brannock/lyra-5/quiet-phone/4; empty for a phone that is not listed"`
	Fingerprint string              `json:"fingerprint,omitempty" maxLength:"512" doc:"The phone's firmware, where the teller knows it"`
	Phone       string              `json:"phone,omitempty" maxLength:"64" pattern:"^[0-9a-f]*$" doc:"A hash by which one phone counts once; never a serial number"`
	Outcome     store.ReportOutcome `json:"outcome" enum:"worked,missing,broken,would-not-go,came-back,not-listed"`
	Packages    []string            `json:"packages,omitempty" maxItems:"50" doc:"Which packages it is about, where the teller knows"`
	Function    string              `json:"function,omitempty" maxLength:"60" doc:"What is missing, in a word or two"`
	Since       string              `json:"since,omitempty" maxLength:"10" doc:"YYYY-MM-DD"`
	Words       string              `json:"words,omitempty" maxLength:"4000"`
	Log         string              `json:"log,omitempty" maxLength:"65536"`
	ByHand      bool                `json:"byHand,omitempty" doc:"It was done by hand, in the phone's own settings"`
	Capture     string              `json:"capture,omitempty" maxLength:"6000000" doc:"What the phone has: a capture file's text"`

	files []android.Source // the same, as a form sends it
}

type newReportOutput struct {
	Body struct {
		Token string `json:"token" doc:"By it, and by nothing else, the report is found again at /told/TOKEN"`
	}
}

type reportsOutput struct {
	Body struct {
		Items []store.OutsideReport `json:"items" nullable:"false"`
		All   int                   `json:"all" doc:"How many there are; the list holds the first 200"`
	}
}

type reportOutput struct{ Body store.OutsideReport }

type putAwayInput struct {
	ID   uuid.UUID `path:"id"`
	Body struct {
		Reason string `json:"reason" minLength:"1" maxLength:"2000" doc:"For whoever told"`
	}
}

type askBackInput struct {
	ID   uuid.UUID `path:"id"`
	Body struct {
		Words string `json:"words" minLength:"1" maxLength:"2000"`
	}
}

type takeReportInput struct {
	ID   uuid.UUID `path:"id"`
	Body struct {
		Packages []string         `json:"packages" minItems:"1" maxItems:"50"`
		Method   evidence.Method  `json:"method" enum:"disable,remove-for-user"`
		Outcome  evidence.Outcome `json:"outcome" enum:"clean,function-lost,fault,no-start,refused"`
		Function string           `json:"function,omitempty" maxLength:"60"`
		Watched  int              `json:"watchedDays" minimum:"0" maximum:"3650"`
		Build    uuid.UUID        `json:"build" doc:"The firmware that it was on, as it is known here"`
		Note     string           `json:"note,omitempty" maxLength:"2000"`
		Reason   string           `json:"reason,omitempty" maxLength:"2000" doc:"For whoever told"`
	}
}

// reportsListed bounds the list of reports.
const reportsListed = 200

func (s *Server) reportRoutes() {
	if s.config.NoReports {
		return
	}
	s.tellRoutes()
	route(s, Public, huma.Operation{
		OperationID: "tell", Method: http.MethodPost, Path: "/api/v1/reports",
		Summary: "Tell what happened, with no account", DefaultStatus: http.StatusCreated, MaxBodyBytes: maxTold,
	},
		func(ctx context.Context, in *struct{ Body reportBody }) (*newReportOutput, error) {
			token, err := s.takeReport(ctx, in.Body)
			out := &newReportOutput{}
			out.Body.Token = token
			return out, err
		})
	route(s, Reviewer, huma.Operation{
		OperationID: "listReports", Method: http.MethodGet, Path: "/api/v1/reports",
		Summary: "What strangers told: trouble first, then the newest",
	},
		func(ctx context.Context, in *struct {
			Show string `query:"show" enum:"waiting,ended" default:"waiting"`
		}) (*reportsOutput, error) {
			states := []string{"waiting", "asked"}
			if in.Show == "ended" {
				states = []string{"taken", "put-away"}
			}
			out := &reportsOutput{}
			var err error
			out.Body.Items, out.Body.All, err = s.store.Reports(ctx, states, reportsListed)
			return out, err
		})
	route(s, Reviewer, huma.Operation{
		OperationID: "getReport", Method: http.MethodGet, Path: "/api/v1/reports/{id}",
		Summary: "One report",
	},
		func(ctx context.Context, in *idInput) (*reportOutput, error) {
			r, err := s.store.ReportByID(ctx, in.ID)
			return &reportOutput{r}, err
		})
	route(s, Reviewer, huma.Operation{
		OperationID: "askBack", Method: http.MethodPost, Path: "/api/v1/reports/{id}/notes",
		Summary: "Ask whoever told",
	},
		func(ctx context.Context, in *askBackInput) (*struct{}, error) {
			return nil, s.store.NoteReport(ctx, in.ID, personOf(ctx).ID, plainText(in.Body.Words))
		})
	route(s, Reviewer, huma.Operation{
		OperationID: "putReportAway", Method: http.MethodPost, Path: "/api/v1/reports/{id}/put-away",
		Summary: "Put a report away, with a reason for whoever told",
	},
		func(ctx context.Context, in *putAwayInput) (*struct{}, error) {
			return nil, s.store.DecideReport(ctx, in.ID, personOf(ctx).ID, "put-away", plainText(in.Body.Reason), nil)
		})
	route(s, Reviewer, huma.Operation{
		OperationID: "takeReport", Method: http.MethodPost, Path: "/api/v1/reports/{id}/trials",
		Summary: "Make trials of a report, into your tray",
	}, s.trialsOfReport)
	route(s, Reviewer, huma.Operation{
		OperationID: "takeReportCapture", Method: http.MethodPost, Path: "/api/v1/reports/{id}/capture",
		Summary: "Take in what came along with a report, as a capture of that phone", DefaultStatus: http.StatusCreated,
	}, s.captureOfReport)
}

// trialsOfReport puts into the reviewer's tray what a stranger told, as trials from
// outside.
func (s *Server) trialsOfReport(ctx context.Context, in *takeReportInput) (*struct{}, error) {
	r, err := s.store.ReportByID(ctx, in.ID)
	if err != nil {
		return nil, err
	}
	v := change.TrialValue{
		Build: in.Body.Build.String(), Phone: r.ReportPhone(), Method: in.Body.Method, Outcome: in.Body.Outcome, Function: in.Body.Function,
		Persistence: "not-watched", Recovery: "not-tried", WatchedDays: in.Body.Watched,
		On: r.At.UTC().Format(time.DateOnly), Note: in.Body.Note, Report: r.ID.String(),
	}
	if r.ByHand {
		v.ByHand = "done"
	}
	if r.Outcome == store.ToldCameBack {
		v.Persistence = "back-after-restart"
	}
	known, _, err := s.store.Known(ctx, in.Body.Packages, nil)
	if err != nil {
		return nil, err
	}
	edits := make([]store.NewEdit, len(in.Body.Packages))
	for i, name := range in.Body.Packages {
		id, ok := known[name]
		if !ok {
			return nil, fmt.Errorf("package %q: %w", android.Printable(name, 80), store.ErrNotFound)
		}
		if edits[i], err = store.TrialEdit(id, v, "Told from outside."); err != nil {
			return nil, err
		}
	}
	return nil, s.store.DecideReport(ctx, in.ID, personOf(ctx).ID, "taken", plainText(in.Body.Reason), edits)
}

// takeReport checks what a stranger tells, and keeps it under a new token.
func (s *Server) takeReport(ctx context.Context, b reportBody) (token string, err error) {
	if !s.tellers.allow(connectionOf(ctx).address, time.Now()) {
		return "", problem(http.StatusTooManyRequests, "too-many", "Too many reports came from your address. Wait an hour, and send it again.")
	}
	n, err := b.report()
	if err != nil {
		return "", err
	}
	if b.Release != "" {
		r, err := s.press.site.At(ctx, b.Release)
		if err != nil {
			return "", badReport("release: there is none at %q.", android.Printable(b.Release, 100))
		}
		n.Release = r.ID
	}
	if err := s.readAlong(ctx, b, &n); err != nil {
		return "", err
	}
	raw := make([]byte, 24)
	_, _ = rand.Read(raw) // it never fails
	token = base64.RawURLEncoding.EncodeToString(raw)
	_, err = s.store.AddReport(ctx, n, token)
	return token, err
}

func badReport(format string, args ...any) error {
	return problem(http.StatusUnprocessableEntity, "bad-request", fmt.Sprintf(format, args...))
}

// report checks everything that can be told without looking anything up.
func (b reportBody) report() (n store.NewReport, err error) {
	n = store.NewReport{
		Fingerprint: b.Fingerprint, Phone: b.Phone, Outcome: b.Outcome, Since: b.Since,
		Words: plainText(b.Words), Log: plainText(b.Log), ByHand: b.ByHand,
	}
	switch {
	case !slices.Contains(store.ReportOutcomes, b.Outcome):
		return n, badReport("outcome: say what happened, in one of the words that there are for it.")
	case len(n.Words) > store.MaxReportWords, len(n.Log) > store.MaxReportLog:
		return n, badReport("words and log: at most %d and %d bytes are kept.", store.MaxReportWords, store.MaxReportLog)
	case b.Fingerprint != "" && !profile.GoodFingerprint(b.Fingerprint):
		return n, badReport("fingerprint: this is no firmware's.")
	case len(b.Phone) > 64 || strings.Trim(b.Phone, "0123456789abcdef") != "":
		return n, badReport("phone: this is no hash.")
	case len(b.Packages) > 50:
		return n, badReport("packages: at most 50 at a time.")
	}
	if b.Since != "" {
		if day, err := time.Parse(time.DateOnly, b.Since); err != nil || day.After(time.Now().AddDate(0, 0, 2)) || day.Year() < 2000 {
			return n, badReport("since: %q is no day such as 2026-03-31.", android.Printable(b.Since, 20))
		}
	}
	for _, name := range b.Packages {
		p, err := android.ParsePackageName(name)
		if err != nil {
			return n, badReport("packages: %s.", err)
		}
		n.Packages = append(n.Packages, p)
	}
	n.Function = android.Printable(strings.Join(strings.Fields(b.Function), " "), 60)
	return n, nil
}

// plainText is text that is shown as it is and nowhere read as anything else.
func plainText(text string) string {
	text = strings.ToValidUTF8(strings.ReplaceAll(text, "\r\n", "\n"), "�")
	return strings.TrimSpace(strings.Map(func(r rune) rune {
		if r < ' ' && r != '\n' && r != '\t' || r == 0x7f || r == utf8.RuneError {
			return '�'
		}
		return r
	}, text))
}

// tellers bounds how many reports come from one address: five at once, and then
// one in five minutes.
type tellers struct {
	mu   sync.Mutex
	from map[string]*rate.Limiter
}

// mostTellers bounds how many addresses are remembered; those beyond share.
const mostTellers = 50_000

func (t *tellers) allow(address string, now time.Time) bool {
	t.mu.Lock()
	defer t.mu.Unlock()
	if t.from == nil {
		t.from = map[string]*rate.Limiter{}
	}
	l := t.from[address]
	if l == nil {
		if len(t.from) >= mostTellers {
			for a, old := range t.from {
				if old.TokensAt(now) >= tellersBurst {
					delete(t.from, a)
				}
			}
		}
		l = rate.NewLimiter(rate.Every(5*time.Minute), tellersBurst)
		t.from[address] = l
	}
	return l.AllowN(now, 1)
}

const tellersBurst = 5
