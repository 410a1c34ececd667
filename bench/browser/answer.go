//go:build js && wasm

package browser

import (
	"encoding/json"
	"syscall/js"
)

// Answer gives an object of JavaScript's a method of a name that asks Go for
// something: it takes a word and JSON, and returns a promise of JSON, or of an
// error with words.
func Answer(object js.Value, name string, answer func(what string, with []byte) (any, error)) {
	promise := js.Global().Get("Promise")
	object.Set(name, js.FuncOf(func(_ js.Value, args []js.Value) any {
		what, with := args[0].String(), []byte(args[1].String())
		var begin js.Func
		begin = js.FuncOf(func(_ js.Value, settle []js.Value) any {
			go func() {
				defer begin.Release()
				value, err := answer(what, with)
				raw := []byte("null")
				if err == nil && value != nil {
					raw, err = json.Marshal(value)
				}
				if err != nil {
					settle[1].Invoke(js.Global().Get("Error").New(err.Error()))
					return
				}
				settle[0].Invoke(string(raw))
			}()
			return nil
		})
		return promise.New(begin)
	}))
}

// Console writes lines of a log to the browser's.
type Console struct{}

// Write writes a line.
func (Console) Write(line []byte) (int, error) {
	js.Global().Get("console").Call("info", string(line))
	return len(line), nil
}
