package server

import (
	"context"
	"net/http"
	"time"

	"github.com/gin-gonic/gin"
	"github.com/google/uuid"

	"roster/bench/alone"
	"roster/core/android"
	"roster/store"
)

// maxTold bounds a report with everything that comes along with it, in bytes.
const maxTold = 8 << 20

// toldAtOnce is how many captures of strangers are read at once: each may take
// as much memory as one of a technician's.
const toldAtOnce = 2

// Large reports are held in memory while they come in, and anybody may send some:
// so many at once. One with nothing along is no larger than smallTold.
const (
	smallTold   = 256 << 10
	heardAtOnce = 8
)

var toldBusy = problem(http.StatusServiceUnavailable, "busy",
	"Others send what their phones have right now. Nothing was kept; send it again in a moment.").after(5 * time.Second)

// hearing bounds how many large reports come in at once, before anything of them
// is read.
func (s *Server) hearing(c *gin.Context) {
	path, size := c.Request.URL.Path, c.Request.ContentLength
	if c.Request.Method != http.MethodPost || path != "/tell" && path != "/api/v1/reports" || size >= 0 && size <= smallTold {
		return
	}
	done, ok := s.heard.enter(uuid.Nil)
	if !ok {
		writeProblem(c, toldBusy)
		return
	}
	defer done()
	c.Next()
}

// readAlong reads what came along of the phone itself. Of its serial number, where
// files hold it, only the hash is kept that the page would have sent.
func (s *Server) readAlong(ctx context.Context, b reportBody, n *store.NewReport) error {
	sources := b.files
	if b.Capture != "" {
		sources = append(sources, android.TextSource("capture", []byte(b.Capture)))
	}
	if len(sources) == 0 {
		return nil
	}
	done, ok := s.along.enter(uuid.Nil)
	if !ok {
		return toldBusy
	}
	defer done()
	for i := range sources {
		sources[i].Data = whileWanted{ctx, sources[i].Data}
	}
	c, err := android.ReadSources(sources)
	switch {
	case ctx.Err() != nil:
		return ctx.Err()
	case err != nil:
		return badReport("what the phone has: %s. Nothing was kept; leave it out, or send another file.", err)
	case len(c.Packages) == 0:
		return badReport("what the phone has: no package was found in it. Nothing was kept; leave it out, or send another file.")
	}
	if serial := c.Identity.Serial; serial != "" && n.Phone == "" {
		n.Phone = alone.Told([]byte(s.press.site.Salt), serial)
	}
	if n.Fingerprint == "" {
		n.Fingerprint = c.Identity.Fingerprint
	}
	n.Capture = c
	return nil
}

type reportCaptureOutput struct{ Body store.CaptureSummary }

// captureOfReport stores what came along with a report as a capture, in the name of
// the reviewer who takes it in.
func (s *Server) captureOfReport(ctx context.Context, in *idInput) (*reportCaptureOutput, error) {
	r, err := s.store.ReportByID(ctx, in.ID)
	if err != nil {
		return nil, err
	}
	c, err := s.store.CaptureOfReport(ctx, in.ID)
	if err != nil {
		return nil, err
	}
	person := personOf(ctx).ID
	sum, err := s.store.AddCapture(ctx, store.NewCapture{Capture: c, Phone: r.ReportPhone(), Person: person, Source: "file", At: r.At})
	if err != nil {
		return nil, err
	}
	if err := s.store.AddNames(ctx, namesIn(c)); err != nil {
		return nil, err
	}
	return &reportCaptureOutput{sum}, s.store.ReportCaptureTaken(ctx, in.ID, person, sum)
}
