package server_test

import (
	"bufio"
	"bytes"
	"fmt"
	"io"
	"mime/multipart"
	"net"
	"net/http"
	"strings"
	"sync"
	"testing"
	"time"

	"roster/server"
	"roster/store"
	"roster/store/storetest"
)

// impatient has a server give up soon on clients that stand still.
func impatient(pace server.Pace) setting {
	return func(c *server.Config) { c.Pace = pace }
}

// begin opens a connection and sends the start of a request.
func (s *site) begin(cookie *http.Cookie, head string) net.Conn {
	s.t.Helper()
	conn, err := net.Dial("tcp", s.http.Listener.Addr().String())
	if err != nil {
		s.t.Fatal(err)
	}
	s.t.Cleanup(func() { conn.Close() })
	fmt.Fprintf(conn, "%s\r\nHost: x\r\nCookie: %s=%s\r\n", head, cookie.Name, cookie.Value)
	return conn
}

// TestBodiesThatStandStill: a body of which nothing more comes is given up, one
// that comes slowly is waited for.
func TestBodiesThatStandStill(t *testing.T) {
	t.Parallel()
	s := withPeople(t, impatient(server.Pace{Stall: 4 * time.Second, Grace: 3 * time.Second, Rate: 200}))
	cookie := s.signIn("technician")
	for name, c := range map[string]struct {
		path  string
		piece string
		every time.Duration
		want  string
	}{
		"JSON that stalls":         {"/api/v1/prose", "", 0, "408"},
		"files that stall":         {"/api/v1/captures", "", 0, "408"},
		"JSON that drips for ever": {"/api/v1/prose", " ", 100 * time.Millisecond, "408"},
	} {
		t.Run(name, func(t *testing.T) {
			t.Parallel()
			conn := s.begin(cookie, "POST "+c.path+" HTTP/1.1")
			kind := map[bool]string{true: "multipart/form-data; boundary=x", false: "application/json"}[c.path == "/api/v1/captures"]
			fmt.Fprintf(conn, "Content-Type: %s\r\nContent-Length: 100000\r\n\r\n", kind)
			fmt.Fprint(conn, map[bool]string{true: "--x\r\n", false: "{"}[c.path == "/api/v1/captures"])
			if c.piece != "" {
				go func() {
					for range time.Tick(c.every) {
						if _, err := fmt.Fprint(conn, c.piece); err != nil {
							return
						}
					}
				}()
			}
			line, err := bufio.NewReader(conn).ReadString('\n')
			if err != nil || !strings.Contains(line, c.want) {
				t.Errorf("%q, %v", line, err)
			}
		})
	}
	t.Run("JSON that comes slowly", func(t *testing.T) {
		t.Parallel()
		body := []byte(`{"text":"` + strings.Repeat("x", 4000) + `"}`)
		conn := s.begin(cookie, "POST /api/v1/prose HTTP/1.1")
		fmt.Fprintf(conn, "Content-Type: application/json\r\nContent-Length: %d\r\n\r\n", len(body))
		next := time.NewTicker(100 * time.Millisecond)
		defer next.Stop()
		for piece := range bytesOf(body, 100) { // 1,000 bytes a second: longer than the grace, as fast as it has to be
			<-next.C
			conn.Write(piece)
		}
		line, err := bufio.NewReader(conn).ReadString('\n')
		if err != nil || !strings.Contains(line, "200") {
			t.Errorf("%q, %v", line, err)
		}
	})
}

func bytesOf(b []byte, n int) func(func([]byte) bool) {
	return func(yield func([]byte) bool) {
		for len(b) > 0 && yield(b[:min(n, len(b))]) {
			b = b[min(n, len(b)):]
		}
	}
}

// TestAnswersThatNobodyReads: a client that takes nothing is given up, and holds
// nothing that others need meanwhile.
func TestAnswersThatNobodyReads(t *testing.T) {
	t.Parallel()
	s := withPeople(t, impatient(server.Pace{Stall: 2 * time.Second, Grace: time.Minute, Rate: 1}))
	cookie := s.signIn("technician")
	// More than the system's own buffers take.
	if a := s.upload(cookie, map[string]string{"p.txt": props, "list.txt": packageList(15_000)}); a.status != 201 {
		t.Fatalf("%d %s", a.status, a.body)
	}
	conn := s.begin(cookie, "GET /api/v1/ledger/export?format=json HTTP/1.1")
	if err := conn.(*net.TCPConn).SetReadBuffer(1024); err != nil {
		t.Fatal(err)
	}
	fmt.Fprint(conn, "\r\n")
	s.until("it is given up", func() bool {
		_, err := conn.Write([]byte(" ")) // of which the server hears nothing while it writes
		return err != nil
	})
	if raw, err := io.ReadAll(conn); err == nil && bytes.HasSuffix(raw, []byte("0\r\n\r\n")) {
		t.Error("the whole answer came: it was no test")
	}
}

func packageList(n int) string {
	var b strings.Builder
	for i := range n {
		fmt.Fprintf(&b, "package:/system/app/A%d/A%d.apk=com.example.a%d versionCode:%d\n", i, i, i, i)
	}
	return b.String()
}

// TestThreeAtOnce: exports that nobody takes, the longest filters there are and
// uploads that stand still stop nobody else, however few connections there are.
func TestThreeAtOnce(t *testing.T) {
	t.Parallel()
	address := storetest.URL(t)
	usual, err := store.New(t.Context(), address) // with as many connections as a server has
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(usual.Close)
	s := withPeopleOn(t, address, impatient(server.DefaultPace), func(c *server.Config) { c.Store = usual })
	people := map[string]*http.Cookie{}
	for _, role := range roles {
		people[role] = s.signIn(role)
	}
	if a := s.upload(people["technician"], map[string]string{"p.txt": props, "list.txt": packageList(3000)}); a.status != 201 {
		t.Fatalf("%d %s", a.status, a.body)
	}
	for range 3 {
		for _, role := range []string{"maintainer", "keeper"} {
			conn := s.begin(people[role], "GET /api/v1/catalogue?form=zip HTTP/1.1")
			fmt.Fprint(conn, "\r\n")
		}
		conn := s.begin(people["technician"], "POST /api/v1/captures HTTP/1.1")
		fmt.Fprint(conn, "Content-Type: multipart/form-data; boundary=x\r\nContent-Length: 100000\r\n\r\n--x\r\n")
		conn = s.begin(people["technician"], "GET /api/v1/ledger?q=role:"+strings.Repeat("a,", 49)+"a HTTP/1.1")
		fmt.Fprint(conn, "\r\n")
	}
	for range 20 {
		if a := s.do(nil, "GET", "/readyz", nil); a.status != 200 {
			t.Errorf("readyz: %d %s", a.status, a.body)
		}
		if a := s.do(people["reviewer"], "GET", "/api/v1/ledger?maker=brannock&model=lyra-5", nil); a.status != 200 {
			t.Errorf("a page of the Ledger: %d %s", a.status, a.body)
		}
	}
}

// TestUploadsAtOnce bounds how many uploads are taken at once.
func TestUploadsAtOnce(t *testing.T) {
	t.Parallel()
	s := withPeople(t)
	cookie := s.signIn("technician")
	var open []net.Conn
	var b bytes.Buffer
	form := multipart.NewWriter(&b)
	form.Close()
	s.until("a third is told to wait", func() bool {
		// One that comes while the last try is still being answered is refused itself.
		conn := s.begin(cookie, "POST /api/v1/captures HTTP/1.1")
		fmt.Fprint(conn, "Content-Type: multipart/form-data; boundary=x\r\nContent-Length: 100000\r\n\r\n--x\r\n")
		open = append(open, conn)
		a := s.do(cookie, "POST", "/api/v1/captures", b.Bytes(), form.FormDataContentType())
		return a.status == 503 && kind(a) == "busy" && a.header.Get("Retry-After") != ""
	})
	if a := s.do(s.signIn("reviewer"), "POST", "/api/v1/captures", b.Bytes(), form.FormDataContentType()); a.status != 422 {
		t.Errorf("somebody else's: %d %s", a.status, a.body)
	}
	for _, conn := range open {
		conn.Close()
	}
	s.until("it is taken when they are gone", func() bool {
		return s.do(cookie, "POST", "/api/v1/captures", b.Bytes(), form.FormDataContentType()).status == 422
	})
}

// TestWithdrawnAtOnce withdraws the same release from several sides: one does
// it, the others are told, and nobody waits for ever.
func TestWithdrawnAtOnce(t *testing.T) {
	t.Parallel()
	q := withQuiet(t)
	var wait sync.WaitGroup
	var mu sync.Mutex
	count := map[int]int{}
	for range 8 {
		wait.Go(func() {
			a := q.do(q.maintainer, "POST", "/api/v1/releases/"+q.release+"/withdrawal", map[string]string{"reason": "x"})
			mu.Lock()
			defer mu.Unlock()
			count[a.status]++
		})
	}
	wait.Wait()
	if count[204] != 1 || count[409] != 7 {
		t.Errorf("%v", count)
	}
}
