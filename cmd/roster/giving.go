package main

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"mime/multipart"
	"net/http"
	"os"
	"path/filepath"

	"roster/bench"
	"roster/core/android"
)

// give hands package files to a bench, which puts them in on phones, and returns
// the packages whose files it has by then.
func (r *remote) give(ctx context.Context, out io.Writer, p benchPhone, files []string) ([]android.PackageName, error) {
	given := p.given
	if len(files) == 0 {
		return given, nil
	}
	answer, err := r.sendFiles(ctx, "/api/v1/benches/"+p.bench+"/files", files)
	if err != nil {
		return nil, err
	}
	var made struct{ Job string }
	if err := readAnswer(answer, &made); err != nil {
		return nil, err
	}
	result, err := r.job(ctx, made.Job)
	if err != nil {
		return nil, err
	}
	var taken bench.Taken
	if err := json.Unmarshal(result, &taken); err != nil {
		return nil, err
	}
	for _, words := range taken.Wrong {
		fmt.Fprintln(out, "not taken:", printableLines(words))
	}
	for _, g := range taken.Packages {
		fmt.Fprintf(out, "the bench has %s %s\n", g.Package, android.Printable(g.VersionName, 60))
		given = append(given, g.Package)
	}
	return given, nil
}

// sendFiles sends files as a form, as they are read.
func (r *remote) sendFiles(ctx context.Context, path string, files []string) (*http.Response, error) {
	body, into := io.Pipe()
	form := multipart.NewWriter(into)
	go func() {
		err := writeFiles(form, files)
		if err == nil { // else the form would end well, without them
			err = form.Close()
		}
		into.CloseWithError(err)
	}()
	answer, err := r.sendBody(ctx, http.MethodPost, path, nil, form.FormDataContentType(), body)
	if err != nil {
		body.Close() // ends the writing too
	}
	return answer, err
}

func writeFiles(form *multipart.Writer, files []string) error {
	for _, name := range files {
		f, err := os.Open(name)
		if err != nil {
			return err
		}
		part, err := form.CreateFormFile("files", filepath.Base(name))
		if err == nil {
			_, err = io.Copy(part, f)
		}
		if err = errors.Join(err, f.Close()); err != nil {
			return err
		}
	}
	return nil
}
