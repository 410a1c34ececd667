//go:build js && wasm

package browser

import (
	"context"
	"errors"
	"fmt"
	"io/fs"
	"syscall"
	"syscall/js"
)

// outcome is what a promise came to.
type outcome struct {
	value js.Value
	err   error
}

// begin waits for a promise without holding anything up: the channel gives what
// it came to, once.
func begin(promise js.Value) <-chan outcome {
	ended := make(chan outcome, 1)
	var done, failed js.Func
	release := func() { done.Release(); failed.Release() }
	done = js.FuncOf(func(_ js.Value, args []js.Value) any {
		ended <- outcome{value: args[0]}
		release()
		return nil
	})
	failed = js.FuncOf(func(_ js.Value, args []js.Value) any {
		ended <- outcome{err: asError(args[0])}
		release()
		return nil
	})
	promise.Call("then", done, failed)
	return ended
}

// wait waits for a promise until ctx ends.
func wait(ctx context.Context, promise js.Value) (js.Value, error) {
	select {
	case o := <-begin(promise):
		return o.value, o.err
	case <-ctx.Done():
		return js.Undefined(), context.Cause(ctx)
	}
}

// call calls a function that JavaScript may throw out of.
func call(v js.Value, method string, args ...any) (result js.Value, err error) {
	defer func() {
		if thrown := recover(); thrown != nil {
			e, ok := thrown.(js.Error)
			if !ok {
				panic(thrown)
			}
			err = asError(e.Value)
		}
	}()
	return v.Call(method, args...), nil
}

// asError is an error of JavaScript's, as those of a disk where it is one.
func asError(v js.Value) error {
	name, words := "", v.String()
	if v.Type() == js.TypeObject {
		name, words = v.Get("name").String(), v.Get("message").String()
	}
	switch name {
	case "NotFoundError":
		return fs.ErrNotExist
	case "QuotaExceededError":
		return syscall.ENOSPC
	case "NoModificationAllowedError":
		return fmt.Errorf("another tab has it open: %w", fs.ErrPermission)
	}
	return errors.New(words)
}

// bytesOf copies what an Uint8Array holds.
func bytesOf(v js.Value) []byte {
	b := make([]byte, v.Get("byteLength").Int())
	js.CopyBytesToGo(b, v)
	return b
}

// array copies bytes into an Uint8Array.
func array(b []byte) js.Value {
	a := js.Global().Get("Uint8Array").New(len(b))
	js.CopyBytesToJS(a, b)
	return a
}

// text is a string of JavaScript's, "" for none.
func text(v js.Value) string {
	if v.Type() != js.TypeString {
		return ""
	}
	return v.String()
}
