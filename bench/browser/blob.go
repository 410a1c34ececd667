//go:build js && wasm

package browser

import (
	"context"
	"io"
	"syscall/js"

	"roster/bench"
)

// blobPiece is how much of a file is asked of the browser at once.
const blobPiece = 4 << 20

// blob reads a file that somebody chose in the page, piece by piece.
type blob struct {
	file     js.Value
	at, size int64
	rest     []byte
}

// Offered are the files of an array of JavaScript's that somebody chose.
func Offered(files js.Value) []bench.Offered {
	list := make([]bench.Offered, files.Length())
	for i := range list {
		file := files.Index(i)
		list[i] = bench.Offered{Name: text(file.Get("name")), Open: func(context.Context) (io.ReadCloser, error) {
			return &blob{file: file, size: int64(file.Get("size").Float())}, nil
		}}
	}
	return list
}

func (b *blob) Read(p []byte) (int, error) {
	if len(b.rest) == 0 {
		if b.at >= b.size {
			return 0, io.EOF
		}
		end := min(b.at+blobPiece, b.size)
		piece, err := call(b.file, "slice", b.at, end)
		if err != nil {
			return 0, err
		}
		buffer, err := wait(context.Background(), piece.Call("arrayBuffer"))
		if err != nil {
			return 0, err
		}
		b.rest, b.at = bytesOf(js.Global().Get("Uint8Array").New(buffer)), end
	}
	n := copy(p, b.rest)
	b.rest = b.rest[n:]
	return n, nil
}

func (b *blob) Close() error { return nil }
