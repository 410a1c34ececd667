package phone

import (
	"bytes"
	"fmt"
	"io"
	"path"
	"regexp"
	"strconv"
	"strings"

	"roster/core/android"
)

// allFiles are the package's files, the first of them its own and the others
// its splits.
func (a *app) allFiles() []string {
	list := []string{a.file()}
	for _, split := range a.Splits {
		list = append(list, a.splitFile(split))
	}
	return list
}

// splitFile is where a split of the package lies.
func (a *app) splitFile(split string) string {
	return path.Join(path.Dir(a.file()), "split_"+split+".apk")
}

// streamedInstall reads the size out of a request whose data follows on the
// same stream: "cmd package 'install' … '-S' N", or install-write of a session
// with the session's number.
func streamedInstall(command string) (size int64, session int, name string, ok bool) {
	words := strings.Fields(strings.ReplaceAll(command, "'", ""))
	if len(words) < 4 || words[0] != "cmd" || words[1] != "package" || words[2] != "install" && words[2] != "install-write" {
		return 0, 0, "", false
	}
	var rest []string
	for i := 3; i < len(words); i++ {
		switch {
		case words[i] == "-S" && i+1 < len(words):
			n, err := strconv.ParseInt(words[i+1], 10, 64)
			size, ok = n, err == nil
			i++
		case !strings.HasPrefix(words[i], "-"):
			rest = append(rest, words[i])
		}
	}
	if words[2] == "install-write" {
		if len(rest) < 2 {
			return 0, 0, "", false
		}
		session, _ = strconv.Atoi(rest[0])
		name = rest[1]
	}
	return size, session, name, ok
}

// installStream takes a package file that follows on the stream, as adb
// install sends it: at once, or as one of a session's files.
func (p *Phone) installStream(s *stream, size int64, session int, name string) {
	if size <= 0 || size > maxPushed || p.scenario.DiskFull {
		fmt.Fprintln(s, "Failure [INSTALL_FAILED_INSUFFICIENT_STORAGE]")
		return
	}
	data := make([]byte, size)
	if _, err := io.ReadFull(s, data); err != nil {
		return
	}
	if name == "" {
		fmt.Fprintln(s, p.install(data))
		return
	}
	p.mu.Lock()
	files, ok := p.sessions[session]
	if ok {
		files[name] = data
	}
	p.mu.Unlock()
	if !ok {
		fmt.Fprintf(s, "Error: java.lang.SecurityException: Caller has no access to session %d\n", session)
		return
	}
	fmt.Fprintf(s, "Success: streamed %d bytes\n", size)
}

// installSession answers pm install-create, install-commit and install-abandon.
func (p *Phone) installSession(verb string, c *command) byte {
	_, words, _ := options(c.args, "-r -t -d -g", "--user -i -S -p")
	p.mu.Lock()
	if verb == "install-create" {
		id := 1000 + len(p.sessions)
		p.sessions[id] = map[string][]byte{}
		p.mu.Unlock()
		c.print("Success: created install session [%d]\n", id)
		return 0
	}
	id := 0
	if len(words) > 0 {
		id, _ = strconv.Atoi(words[0])
	}
	files, ok := p.sessions[id]
	delete(p.sessions, id)
	p.mu.Unlock()
	switch {
	case !ok:
		return c.fail(255, "Error: java.lang.SecurityException: Caller has no access to session %d", id)
	case verb == "install-abandon":
		c.print("Success\n")
		return 0
	}
	answer := "Failure [INSTALL_FAILED_INVALID_APK: full install must include a base package]"
	for name, data := range files {
		if !splitName.MatchString(name) {
			answer = p.install(data)
		}
	}
	c.print("%s\n", answer)
	if answer != "Success" {
		return 1
	}
	return 0
}

// splitName is what a split's file is called.
var splitName = regexp.MustCompile(`^split_`)

// installCommand answers pm install PATH for a file that was pushed.
func (p *Phone) installCommand(c *command) byte {
	_, names, _ := options(c.args, "-r -t -d -g", "--user -i -S")
	if len(names) != 1 {
		return c.fail(1, "Error: no package specified")
	}
	data, ok := p.file(names[0])
	if !ok {
		return c.fail(1, "Error: failed to open file: %s", names[0])
	}
	answer := p.install(data)
	c.print("%s\n", answer)
	if answer != "Success" {
		return 1
	}
	return 0
}

// install puts a package file on the phone and says what came of it.
func (p *Phone) install(data []byte) string {
	if p.scenario.DiskFull {
		return "Failure [INSTALL_FAILED_INSUFFICIENT_STORAGE]"
	}
	f, err := android.ReadPackageFile(bytes.NewReader(data), int64(len(data)))
	if err != nil {
		return "Failure [INSTALL_PARSE_FAILED_NOT_APK]"
	}
	p.mu.Lock()
	defer p.mu.Unlock()
	if a := p.byName[string(f.Name)]; a != nil {
		a.first().installed = true
		a.apk = data
		return "Success"
	}
	spec := PackageSpec{Name: string(f.Name), Version: f.VersionName, Label: f.Labels[""], Labels: f.Labels, Owner: true}
	a := p.add(spec)
	a.versionCode, a.apk = f.VersionCode, data
	return "Success"
}
