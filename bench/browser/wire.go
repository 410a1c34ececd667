//go:build js && wasm

package browser

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"io"
	"syscall/js"

	"roster/bench"
)

// Wire is the link as the browser's own requests carry it. Link is an object of
// web/src/usb/link.ts, which has the token.
type Wire struct{ Link js.Value }

// Where is the server's address.
func (w Wire) Where() string { return text(w.Link.Get("server")) }

// Post sends a message; see bench.Wire.
func (w Wire) Post(ctx context.Context, path string, message []byte) ([]byte, error) {
	answer, err := w.ask(ctx, "post", path, array(message))
	if err != nil {
		return nil, err
	}
	body := bytesOf(answer.Get("body"))
	return body, bench.Refusal(answer.Get("status").Int(), body)
}

// Get fetches something, all of it at once; see bench.Wire.
func (w Wire) Get(ctx context.Context, path string) (io.ReadCloser, error) {
	answer, err := w.ask(ctx, "get", path)
	if err != nil {
		return nil, err
	}
	body := bytesOf(answer.Get("body"))
	return io.NopCloser(bytes.NewReader(body)), bench.Refusal(answer.Get("status").Int(), body)
}

// Text begins a text that is compressed as it comes; see bench.TextWire.
func (w Wire) Text(ctx context.Context, path string) bench.Text {
	upload, err := call(w.Link, "text", path)
	return &sending{upload, err}
}

// Requests hands on the server's events; see bench.Wire.
func (w Wire) Requests(ctx context.Context, each func(event string, data []byte)) error {
	type event struct{ name, data string }
	events := make(chan event, 64)
	take := js.FuncOf(func(_ js.Value, args []js.Value) any {
		select {
		case events <- event{args[0].String(), args[1].String()}:
			return true
		default:
			return false // it has fallen behind, and comes back
		}
	})
	defer take.Release()
	ended, cancel := context.WithCancel(ctx)
	defer cancel()
	result := make(chan error, 1)
	go func() {
		answer, err := w.ask(ended, "requests", take)
		if err == nil {
			err = bench.Refusal(answer.Get("status").Int(), bytesOf(answer.Get("body")))
		}
		result <- err
	}()
	for {
		select {
		case e := <-events:
			each(e.name, []byte(e.data))
		case err := <-result:
			if err == nil {
				err = io.EOF
			}
			return fmt.Errorf("the connection ended: %w", err)
		}
	}
}

// sending is a text on its way, an object of web/src/usb/link.ts.
type sending struct {
	text js.Value
	err  error
}

func (s *sending) Write(p []byte) (int, error) {
	if s.err == nil {
		_, s.err = call(s.text, "write", array(p))
	}
	if s.err != nil {
		return 0, s.err
	}
	return len(p), nil
}

func (s *sending) Send(ctx context.Context, query string) error {
	if s.err != nil {
		return s.err
	}
	answer, err := Wire{s.text}.ask(ctx, "send", query)
	if err != nil {
		return err
	}
	return bench.Refusal(answer.Get("status").Int(), bytesOf(answer.Get("body")))
}

// ask calls a method that takes an AbortSignal before its other arguments, and
// gives it up when ctx ends.
func (w Wire) ask(ctx context.Context, method string, args ...any) (js.Value, error) {
	abort := js.Global().Get("AbortController").New()
	defer context.AfterFunc(ctx, func() { abort.Call("abort") })()
	promise, err := call(w.Link, method, append([]any{abort.Get("signal")}, args...)...)
	if err != nil {
		return js.Undefined(), err
	}
	answer, err := wait(context.Background(), promise) // it ends when it was given up
	if err != nil && ctx.Err() != nil {
		err = ctx.Err()
	}
	return answer, err
}

// Hand is the hand of a stand-in that this browser has attached. Link is as in
// Wire.
type Hand struct {
	Link    js.Value
	Address string
}

// Phone is what the browser calls the stand-in.
func (h Hand) Phone() string { return h.Address }

// Do asks the server that runs the stand-in; see bench.Hand.
func (h Hand) Do(ctx context.Context, action, with string) (bench.StandIn, error) {
	var one bench.StandIn
	answer, err := Wire{h.Link}.ask(ctx, "hand", h.Address, action, with)
	if err != nil {
		return one, err
	}
	body := bytesOf(answer.Get("body"))
	if err := bench.Refusal(answer.Get("status").Int(), body); err != nil {
		return one, err
	}
	return one, json.Unmarshal(body, &one)
}
