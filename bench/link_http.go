//go:build !js

package bench

import (
	"bytes"
	"context"
	"fmt"
	"io"
	"net/http"
	"strings"

	"github.com/tmaxmax/go-sse"
)

// HTTP is a wire for programs: plain requests, with the bench's token.
type HTTP struct {
	// Server is its address, such as https://roster.example.
	Server string
	Token  string
}

// maxAnswer bounds what a server may answer.
const maxAnswer = 16 << 20

// Where is the server's address.
func (w HTTP) Where() string { return w.Server }

// Post sends a message; see Wire.
func (w HTTP) Post(ctx context.Context, path string, message []byte) ([]byte, error) {
	a, err := w.do(ctx, http.MethodPost, path, bytes.NewReader(message))
	if err != nil {
		return nil, err
	}
	defer a.Body.Close()
	return io.ReadAll(io.LimitReader(a.Body, maxAnswer))
}

// Get fetches something; see Wire.
func (w HTTP) Get(ctx context.Context, path string) (io.ReadCloser, error) {
	a, err := w.do(ctx, http.MethodGet, path, nil)
	if err != nil {
		return nil, err
	}
	return a.Body, nil
}

// Requests reads server-sent events; see Wire.
func (w HTTP) Requests(ctx context.Context, each func(event string, data []byte)) error {
	a, err := w.do(ctx, http.MethodGet, "requests", nil)
	if err != nil {
		return err
	}
	defer a.Body.Close()
	for e, err := range sse.Read(a.Body, &sse.ReadConfig{MaxEventSize: maxRequest}) {
		if err != nil {
			return fmt.Errorf("the connection ended: %w", err)
		}
		each(e.Type, []byte(e.Data))
	}
	return fmt.Errorf("the connection ended: %w", io.EOF)
}

// do asks the server; an answer that says no is an error.
func (w HTTP) do(ctx context.Context, method, path string, body io.Reader) (*http.Response, error) {
	r, err := http.NewRequestWithContext(ctx, method, strings.TrimSuffix(w.Server, "/")+"/api/v1/link/"+path, body)
	if err != nil {
		return nil, err
	}
	r.Header.Set("Authorization", "Bearer "+w.Token)
	if body != nil {
		r.Header.Set("Content-Type", "application/json")
	}
	a, err := http.DefaultClient.Do(r)
	if err != nil {
		return nil, err
	}
	if a.StatusCode < 300 {
		return a, nil
	}
	defer a.Body.Close()
	words, _ := io.ReadAll(io.LimitReader(a.Body, 4096))
	return nil, Refusal(a.StatusCode, words)
}
