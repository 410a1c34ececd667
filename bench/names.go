package bench

import (
	"context"
	"errors"
	"fmt"
	"strings"
	"time"

	"roster/bench/services"
	"roster/core/android"
	"roster/core/posix"
)

// Wanted is a package whose file is to be read for what it is called.
type Wanted struct {
	Name        android.PackageName `json:"name"`
	VersionCode int64               `json:"versionCode"`
	Signer      string              `json:"signer"`
}

// Named is what a package file said.
type Named struct {
	Wanted
	Labels map[string]string `json:"labels"`
	Icon   []byte            `json:"icon,omitempty"`
	// Problem says why the file could not be read, "" where it could.
	Problem string `json:"problem,omitempty"`
}

// maxPackageFile bounds one package file, in bytes.
const maxPackageFile = 1 << 30

// maxSplits bounds the files that a package consists of.
const maxSplits = 200

// ReadNames pulls package files one after another and reads what they are
// called, by way of files that scratch makes. Each result is handed to each as
// it is there, so that whatever was read before an interruption is kept. The
// error is that the phone went away, ctx's, or each's own.
func ReadNames(
	ctx context.Context, host services.Host, serial string, scratch func() (Temporary, error), wanted []Wanted, each func(i int, n Named) error,
) error {
	paths, err := allPaths(ctx, host, serial, wanted)
	if err != nil {
		return err
	}
	p := &puller{host: host, scratch: scratch, serial: serial}
	defer p.close()
	for i, w := range wanted {
		n := Named{Wanted: w, Labels: map[string]string{}}
		if path := paths[w.Name]; len(path) == 0 {
			n.Problem = "the phone names no file of it"
		} else if f, err := p.read(ctx, path[0]); errors.Is(err, services.ErrGone) || ctx.Err() != nil {
			return errors.Join(err, ctx.Err())
		} else if err != nil {
			n.Problem = android.Printable(err.Error(), 200)
		} else if f.Name != w.Name {
			n.Problem = "the file is another package's"
		} else {
			n.Labels, n.Icon = f.Labels, f.Icon
		}
		if err := each(i, n); err != nil {
			return err
		}
	}
	return nil
}

// allPaths asks where the files of packages lie, all in one go: each package's
// own file first, its splits after it.
func allPaths(ctx context.Context, host services.Host, serial string, wanted []Wanted) (map[android.PackageName][]string, error) {
	session, err := services.Shell(ctx, host, serial)
	if err != nil {
		return nil, err
	}
	defer session.Close()
	paths := map[android.PackageName][]string{}
	const atOnce = 100
	for len(wanted) > 0 {
		part := wanted[:min(atOnce, len(wanted))]
		wanted = wanted[len(part):]
		var line strings.Builder
		for _, w := range part {
			if _, err := android.ParsePackageName(string(w.Name)); err != nil {
				return nil, err
			}
			quoted := posix.Quote(string(w.Name))
			fmt.Fprintf(&line, "echo '= '%s; pm path %s; ", quoted, quoted)
		}
		answer, err := session.Run(line.String(), time.Minute, 1<<20)
		if err != nil {
			return nil, err
		}
		var name android.PackageName
		for text := range strings.Lines(string(answer.Out)) {
			text = strings.TrimSpace(text)
			if rest, ok := strings.CutPrefix(text, "= "); ok {
				name = android.PackageName(rest)
			} else if path, ok := strings.CutPrefix(text, "package:"); ok && strings.HasPrefix(path, "/") && len(paths[name]) < maxSplits {
				paths[name] = append(paths[name], path)
			}
		}
	}
	return paths, nil
}

// puller reads package files over one connection, and opens another where
// that one is of no more use.
type puller struct {
	host    services.Host
	serial  string
	scratch func() (Temporary, error)
	files   *services.Sync
}

func (p *puller) close() {
	if p.files != nil {
		p.files.Close()
		p.files = nil
	}
}

// read reads one package file by way of a temporary file that nobody else can
// open.
func (p *puller) read(ctx context.Context, path string) (*android.PackageFile, error) {
	if p.files == nil {
		files, err := services.Files(ctx, p.host, p.serial)
		if err != nil {
			return nil, err
		}
		p.files = files
	}
	file, err := p.scratch()
	if err != nil {
		return nil, err
	}
	defer file.Close()
	n, err := p.files.Pull(path, file, maxPackageFile)
	if err != nil {
		if !errors.Is(err, services.ErrRefused) {
			p.close()
		}
		return nil, err
	}
	return android.ReadPackageFile(file, n)
}
