package bench

import "io"

// Files is where a bench keeps what has to outlast it: the runs that it writes
// down, and what it saves of phones. Names are paths with slashes between their
// parts, below wherever that is. Of a file that is not there errors wrap
// fs.ErrNotExist, and syscall.ENOSPC where there is no room.
type Files interface {
	// Open opens a file to read it.
	Open(name string) (io.ReadCloser, error)
	// Append opens a file to add lines to, making it where it is not there. One
	// that was cut off within a line, when the computer went down, is ended
	// first, so that it takes no other line with it.
	Append(name string) (Lines, error)
	// Create begins a file that has its name only when it is Kept.
	Create(name string) (Fresh, error)
	// Remove takes away a folder with all that is in it; that it is not there is
	// no error.
	Remove(folder string) error
	// Where says to people where a file, or a folder, lies.
	Where(name string) string
}

// Lines is a file that lines are added to.
type Lines interface {
	io.WriteCloser
	// Sync returns when what was written survives the end of the computer.
	Sync() error
}

// Fresh is a file that is being written.
type Fresh interface {
	io.Writer
	// Keep gives it its name, when all of it survives the end of the computer.
	Keep() error
	// Drop leaves nothing of it; after Keep it does nothing.
	Drop()
}

// Temporary is a file for what does not fit into memory. Nobody else can open
// it, and it is gone when it is closed.
type Temporary interface {
	io.Writer
	io.ReaderAt
	io.Closer
}
