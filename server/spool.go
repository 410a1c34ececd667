package server

import (
	"bufio"
	"errors"
	"io"
	"os"
)

// errTooLarge says that a file would be larger than it may.
var errTooLarge = errors.New("it is larger than it may be")

// spool lets write fill a file of at most limit bytes, of which nothing stays
// once it is closed, and returns it with its size, to be read from its start.
func spool(limit int64, write func(io.Writer) error) (*os.File, int64, error) {
	file, err := nameless()
	if err != nil {
		return nil, 0, err
	}
	bounded := &boundedWriter{file, limit}
	out := bufio.NewWriterSize(bounded, 1<<16)
	if err = write(out); err == nil {
		err = out.Flush()
	}
	if err == nil {
		_, err = file.Seek(0, io.SeekStart)
	}
	if err != nil {
		file.Close()
		return nil, 0, err
	}
	return file, limit - bounded.left, nil
}

// boundedWriter writes until so much is left.
type boundedWriter struct {
	w    io.Writer
	left int64
}

func (b *boundedWriter) Write(p []byte) (int, error) {
	if int64(len(p)) > b.left {
		return 0, errTooLarge
	}
	n, err := b.w.Write(p)
	b.left -= int64(n)
	return n, err
}

// nameless makes a temporary file that nobody else can open, and that is gone
// when it is closed.
func nameless() (*os.File, error) {
	file, err := os.CreateTemp("", "roster-spool-")
	if err != nil {
		return nil, err
	}
	if err := os.Remove(file.Name()); err != nil {
		file.Close()
		return nil, err
	}
	return file, nil
}
