package phone

import (
	"archive/zip"
	"bytes"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"fmt"
	"io"
	"path"
	"regexp"
	"slices"
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
	a := p.byName[string(f.Name)]
	if failure := p.refuses(a, f); failure != "" {
		return "Failure [" + failure + "]"
	}
	if a != nil {
		a.first().installed = true
		a.apk, a.versionCode = data, max(a.versionCode, f.VersionCode)
		return "Success"
	}
	spec := PackageSpec{Name: string(f.Name), Version: f.VersionName, Label: f.Labels[""], Labels: f.Labels, Owner: true}
	able := abilityOf(data)
	spec.Roles, spec.Keyboard = able.Roles, able.Keyboard
	if a = p.add(spec); len(f.Signers) > 0 {
		a.cert = f.Signers[0]
	}
	a.versionCode, a.apk = f.VersionCode, data
	return "Success"
}

// refuses says why a package file is not installed, "" where it is; a is what the
// phone knows by its name, or nil.
func (p *Phone) refuses(a *app, f *android.PackageFile) string {
	abi := p.scenario.Properties["ro.product.cpu.abi"]
	switch {
	case p.scenario.RefusesInstalls:
		return "INSTALL_FAILED_USER_RESTRICTED: Install canceled by user"
	case f.MinSDK > p.scenario.sdk:
		return fmt.Sprintf("INSTALL_FAILED_OLDER_SDK: Requires newer sdk version #%d (current version is #%d)", f.MinSDK, p.scenario.sdk)
	case len(f.ABIs) > 0 && !slices.Contains(f.ABIs, abi):
		return "INSTALL_FAILED_NO_MATCHING_ABIS: Failed to extract native libraries, res=-113"
	case a == nil || !a.first().installed:
	case len(f.Signers) > 0 && a.certificate() != f.Signers[0]:
		return fmt.Sprintf("INSTALL_FAILED_UPDATE_INCOMPATIBLE: Existing package %s signatures do not match newer version; ignoring!", a.Name)
	case f.VersionCode < a.versionCode:
		return fmt.Sprintf("INSTALL_FAILED_VERSION_DOWNGRADE: Downgrade detected: Update version code %d is older than current %d", f.VersionCode, a.versionCode)
	}
	return ""
}

// certificate is the SHA-256 of whoever signed what is there now.
func (a *app) certificate() string {
	if a.cert == "" {
		sum := sha256.Sum256([]byte("certificate of " + a.signer()))
		a.cert = hex.EncodeToString(sum[:])
	}
	return a.cert
}

// abilityOf reads what an app can do from a package file of ours; others can do
// nothing.
func abilityOf(data []byte) (able ability) {
	z, err := zip.NewReader(bytes.NewReader(data), int64(len(data)))
	if err != nil {
		return able
	}
	f, err := z.Open(abilityFile)
	if err != nil {
		return able
	}
	defer f.Close()
	if json.NewDecoder(io.LimitReader(f, 1<<16)).Decode(&able) != nil {
		return ability{}
	}
	return able
}
