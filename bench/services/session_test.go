package services

import (
	"bytes"
	"strings"
	"testing"
)

func TestWords(t *testing.T) {
	for want, r := range map[string]Result{"Success": {Out: []byte("  Success\r\n")}, "went wrong here": {Errs: []byte("went wrong\nhere\n")}, "out": {Out: []byte("out"), Errs: []byte("err")}, "": {}} {
		if got := r.Words(); got != want {
			t.Errorf("%q, want %q", got, want)
		}
	}
}

// FuzzTail cuts a stream anywhere: what comes out is always what went in, up
// to the mark.
func FuzzTail(f *testing.F) {
	f.Add([]byte("some output\n--m"), "--mark", uint8(3))
	f.Fuzz(func(t *testing.T, body []byte, mark string, piece uint8) {
		if strings.ContainsAny(mark, "\n\r") || mark == "" || piece == 0 {
			t.Skip()
		}
		body = bytes.TrimSuffix(bytes.ReplaceAll(body, []byte("\n"+mark), []byte("?")), []byte("\r"))
		if bytes.Contains(append(body, "\n"+mark...)[:len(body)+len(mark)], []byte("\n"+mark)) {
			t.Skip() // the mark begins in the body: a random one never does
		}
		stream := append(append([]byte{}, body...), "\n"+mark+"17\nrest"...)
		var out bytes.Buffer
		tail := newTail(&out, mark)
		for len(stream) > 0 {
			n := min(int(piece), len(stream))
			done, err := tail.write(stream[:n])
			if err != nil {
				t.Fatal(err)
			}
			stream = stream[n:]
			if done {
				if tail.code != "17" || !bytes.Equal(out.Bytes(), body) {
					t.Fatalf("%q with %q came out as %q, code %q", body, mark, out.Bytes(), tail.code)
				}
				return
			}
		}
		t.Fatal("the mark was not seen")
	})
}
