package android

import (
	"archive/zip"
	"bytes"
	"errors"
	"fmt"
	"io"
	"path"
	"strings"

	"golang.org/x/text/encoding/unicode"
	"golang.org/x/text/transform"
)

// Source is a file that somebody sends in. Name is only ever shown.
type Source struct {
	Name string
	Size int64
	Data io.ReaderAt
}

// TextSource makes a source of a text in memory.
func TextSource(name string, data []byte) Source {
	return Source{name, int64(len(data)), bytes.NewReader(data)}
}

// The bounds of what is read, however little of it is sent.
const (
	MaxSource     = 200 << 20 // bytes of one file, and of one zip entry
	maxUnpacked   = 300 << 20 // bytes of all entries of a zip that are read
	maxEntries    = 20_000    // entries in a zip; a bug report has some thousand
	maxEntryReads = 200       // entries that are looked into
	maxRatio      = 100       // how much smaller a zip entry over minUnpacked may be than its text
	minUnpacked   = 4 << 20   // bytes that a zip entry may have whatever its size in the zip
	maxCapture    = 32 << 20  // bytes of a portable capture file
)

// ReadSources makes a capture of files of one phone in any mixture: outputs
// loose or pasted together, zips of them, a bug report, a portable capture
// file. What no reader knows is left out and reported. The errors name files.
func ReadSources(sources []Source) (*Capture, error) {
	var r Reading
	var unknown []Report
	found := false
	for _, s := range sources {
		switch err := r.source(s); {
		case err == nil:
			found = true
		case errors.Is(err, ErrNotOutput):
			unknown = append(unknown, leftOut(s.Name, err))
		default:
			return nil, err
		}
	}
	if !found && len(unknown) > 0 {
		return nil, errors.New(unknown[0].Notes[0].Why)
	}
	c, err := r.Capture()
	if c != nil {
		c.Reports = append(c.Reports, unknown...)
	}
	return c, err
}

func leftOut(name string, err error) Report {
	report := Report{Section: "file", From: Printable(path.Base(name), 80), Complete: true}
	report.note(1, nil, err.Error())
	return report
}

func (r *Reading) source(s Source) error {
	name := Printable(path.Base(s.Name), 80)
	if s.Size > MaxSource {
		return fmt.Errorf("%s: the file is over %d MB", name, MaxSource>>20)
	}
	head := make([]byte, min(s.Size, 512))
	if _, err := s.Data.ReadAt(head, 0); err != nil && !errors.Is(err, io.EOF) {
		return err
	}
	if bytes.HasPrefix(head, []byte("PK\x03\x04")) {
		return r.zip(name, s)
	}
	return r.text(name, head, io.NewSectionReader(s.Data, 0, s.Size))
}

// text reads one stream, whatever its encoding. head is its start.
func (r *Reading) text(name string, head []byte, src io.Reader) error {
	switch {
	case bytes.HasPrefix(head, []byte("\xff\xfe")), bytes.HasPrefix(head, []byte("\xfe\xff")), bytes.HasPrefix(head, []byte("\xef\xbb\xbf")):
		// What PowerShell's ">" writes, among others.
		src = transform.NewReader(src, unicode.BOMOverride(transform.Nop))
	case bytes.HasPrefix(bytes.TrimLeft(head, " \r\n\t"), []byte("{")):
		return r.captureFile(name, src)
	case bytes.HasPrefix(head, []byte("PK\x03\x04")):
		return fmt.Errorf("%s: %w: a zip inside a zip; unpack the outer one first", name, ErrNotOutput)
	case bytes.Count(head, []byte{0}) > len(head)/8:
		return fmt.Errorf("%s: %w: it is not a text", name, ErrNotOutput)
	}
	return r.Read(name, src)
}

// zip looks into an archive. Of a bug report only the main text is read;
// names of entries are shown, and never used as paths.
func (r *Reading) zip(name string, s Source) error {
	z, err := zip.NewReader(s.Data, s.Size)
	if err != nil {
		return fmt.Errorf("%s: the zip is damaged (%w); nothing of it was read", name, err)
	}
	if len(z.File) > maxEntries {
		return fmt.Errorf("%s: the zip has over %d entries", name, maxEntries)
	}
	entries, err := worthReading(z)
	if err != nil {
		return fmt.Errorf("%s: %w", name, err)
	}
	var left int64 = maxUnpacked
	var first error
	read := 0
	for _, f := range entries {
		n, err := r.zipEntry(name, f, left)
		left -= n
		switch {
		case err == nil:
			read++
		case !errors.Is(err, ErrNotOutput):
			return err
		case first == nil:
			first = err
		}
	}
	if read == 0 {
		if first == nil {
			first = fmt.Errorf("%s: %w: the zip is empty", name, ErrNotOutput)
		}
		return first
	}
	return nil
}

// worthReading picks the entries to look into: the main text of a bug report,
// or every file.
func worthReading(z *zip.Reader) ([]*zip.File, error) {
	for _, f := range z.File {
		if f.Name != "main_entry.txt" {
			continue
		}
		rc, err := f.Open()
		if err != nil {
			return nil, err
		}
		text, err := io.ReadAll(io.LimitReader(rc, 4096))
		rc.Close()
		if err != nil {
			return nil, err
		}
		for _, main := range z.File {
			if main.Name == strings.TrimSpace(string(text)) {
				return []*zip.File{main}, nil
			}
		}
		return nil, errors.New("the bug report names a main text that is not in it")
	}
	var files []*zip.File
	for _, f := range z.File {
		if !f.FileInfo().IsDir() && f.UncompressedSize64 > 0 {
			files = append(files, f)
		}
	}
	if len(files) > maxEntryReads {
		return nil, fmt.Errorf("the zip has %d files, and is no bug report; send the outputs of one phone alone", len(files))
	}
	return files, nil
}

func (r *Reading) zipEntry(zipName string, f *zip.File, left int64) (int64, error) {
	name := Printable(zipName+": "+path.Base(strings.ReplaceAll(f.Name, `\`, "/")), 120)
	if f.Flags&1 != 0 {
		return 0, fmt.Errorf("%s: the zip is locked with a password; send it unlocked", name)
	}
	rc, err := f.Open()
	if err != nil {
		return 0, fmt.Errorf("%s: %w", name, err)
	}
	defer rc.Close()
	limited := &counter{r: rc, left: min(left, MaxSource, max(minUnpacked, int64(f.CompressedSize64)*maxRatio)), name: name}
	head := make([]byte, 512)
	n, err := io.ReadFull(limited, head)
	if err != nil && !errors.Is(err, io.ErrUnexpectedEOF) && !errors.Is(err, io.EOF) {
		return limited.n, fmt.Errorf("%s: %w", name, err)
	}
	err = r.text(name, head[:n], io.MultiReader(bytes.NewReader(head[:n]), limited))
	return limited.n, err
}

// counter refuses to unpack more than is left.
type counter struct {
	r       io.Reader
	n, left int64
	name    string
}

func (c *counter) Read(p []byte) (int, error) {
	n, err := c.r.Read(p)
	c.n += int64(n)
	if c.left -= int64(n); c.left < 0 {
		return 0, fmt.Errorf("%s: unpacks to far more than it should; nothing more of it was read", c.name)
	}
	return n, err
}
