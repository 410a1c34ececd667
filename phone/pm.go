package phone

import (
	"bufio"
	"fmt"
	"path"
	"slices"
	"strconv"
	"strings"
	"time"
)

// pm is the package manager's command line.
func (p *Phone) pm(c *command) byte {
	if len(c.args) == 0 {
		return c.fail(1, "Package manager (package) commands:\n  help")
	}
	verb, rest := c.args[0], c.with(c.args[1:])
	switch verb {
	case "list":
		return p.list(rest)
	case "path":
		return p.path(rest)
	case "install":
		return p.installCommand(rest)
	case "query-activities", "resolve-activity", "query-services", "query-receivers":
		return p.query(verb, rest)
	case "install-create", "install-commit", "install-abandon":
		return p.installSession(verb, rest)
	case "uninstall":
		return p.uninstall(rest)
	case "disable-user":
		return p.setEnabled(rest, 3, "disabled-user")
	case "enable":
		return p.setEnabled(rest, 1, "enabled")
	case "install-existing":
		return p.installExisting(rest)
	case "clear":
		return p.clearData(rest)
	case "grant", "revoke":
		return p.grant(verb, rest)
	}
	return c.fail(255, "Unknown command: %s", verb)
}

// options splits off known switches; those in takesValue swallow the next
// word. It stops at the first unknown one.
func options(args []string, known, takesValue string) (set map[string]string, rest []string, unknown string) {
	set = map[string]string{}
	for i := 0; i < len(args); i++ {
		a := args[i]
		switch {
		case !strings.HasPrefix(a, "-"):
			rest = append(rest, a)
		case slices.Contains(strings.Fields(takesValue), a) && i+1 < len(args):
			set[a] = args[i+1]
			i++
		case slices.Contains(strings.Fields(known), a):
			set[a] = "yes"
		default:
			return set, rest, a
		}
	}
	return set, rest, ""
}

func (p *Phone) listPackages(c *command) byte {
	known := "-f -d -e -s -3 -i -l -u -a"
	if p.scenario.sdk >= 28 {
		known += " -U --show-versioncode --apex-only"
	}
	set, filter, unknown := options(c.args, known, "--user --uid")
	if unknown != "" {
		return c.fail(1, "Error: Unknown option: %s", unknown)
	}
	user, ok := p.user(set)
	if !ok {
		return c.fail(1, "Error: java.lang.SecurityException: Shell does not have permission to access user %s", set["--user"])
	}
	has := func(o string) bool { return set[o] != "" }
	p.mu.Lock()
	defer p.mu.Unlock()
	w := bufio.NewWriter(c.out)
	for _, a := range p.packages {
		st := a.users[user]
		if st == nil {
			continue
		}
		off := st.enabled > 1
		if !st.installed && !has("-u") || has("-d") && !off || has("-e") && off || has("-s") && !a.system() || has("-3") && a.system() {
			continue
		}
		if len(filter) > 0 && !strings.Contains(a.Name, filter[0]) {
			continue
		}
		w.WriteString("package:")
		if has("-f") {
			fmt.Fprintf(w, "%s=", a.file())
		}
		w.WriteString(a.Name)
		if has("--show-versioncode") {
			fmt.Fprintf(w, " versionCode:%d", a.versionCode)
		}
		if has("-i") {
			fmt.Fprintf(w, "  installer=%s", a.installer())
		}
		if has("-U") {
			fmt.Fprintf(w, " uid:%d", user*100_000+a.uid)
		}
		w.WriteByte('\n')
	}
	w.Flush()
	return 0
}

// imageFile is the package's file on the image.
func (a *app) imageFile() string { return a.dir + "/" + path.Base(a.dir) + ".apk" }

// file is the package file that the phone runs.
func (a *app) file() string {
	if a.Owner || a.Updated {
		return a.codeDir() + "/base.apk"
	}
	return a.imageFile()
}

func (a *app) installer() string {
	if a.Owner || a.Updated {
		return "com.brannock.store"
	}
	return "null"
}

// clearData forgets what an app had written.
func (p *Phone) clearData(c *command) byte {
	_, names, _ := options(c.args, "", "--user")
	p.mu.Lock()
	defer p.mu.Unlock()
	if len(names) != 1 || p.byName[names[0]] == nil {
		c.print("Failed\n")
		return 1
	}
	p.logLine("PackageManager", "cleared: "+names[0])
	p.cleared[names[0]]++
	c.print("Success\n")
	return 0
}

// Cleared counts how often the data of an app was deleted.
func (p *Phone) Cleared(name string) int {
	p.mu.Lock()
	defer p.mu.Unlock()
	return p.cleared[name]
}

func (p *Phone) path(c *command) byte {
	_, names, _ := options(c.args, "", "--user")
	p.mu.Lock()
	defer p.mu.Unlock()
	if len(names) != 1 || p.byName[names[0]] == nil || !p.byName[names[0]].first().installed {
		return 1
	}
	for _, file := range p.byName[names[0]].allFiles() {
		c.print("package:%s\n", file)
	}
	return 0
}

func (p *Phone) uninstall(c *command) byte {
	set, names, unknown := options(c.args, "-k", "--user --versionCode")
	if unknown != "" {
		return c.fail(1, "Error: Unknown option: %s", unknown)
	}
	if len(names) == 0 {
		return c.fail(1, "Error: package name not specified")
	}
	user, ok := p.user(set)
	if !ok {
		return c.fail(255, "Error: java.lang.SecurityException: Shell does not have permission to access user %s", set["--user"])
	}
	p.takes(c)
	p.mu.Lock()
	defer p.mu.Unlock()
	a := p.byName[names[0]]
	failure := func(code string) byte {
		c.print("Failure [%s]\n", code)
		if p.scenario.sdk < 28 {
			return 0
		}
		return 1
	}
	switch {
	case a == nil || a.users[user] == nil || !a.users[user].installed:
		return failure(fmt.Sprintf("not installed for %d", user))
	case p.guarded(a, "administrator"):
		return failure("DELETE_FAILED_DEVICE_POLICY_MANAGER")
	case p.guarded(a, "protected"), set["--user"] == "" && a.system() && !a.Updated:
		return failure("DELETE_FAILED_INTERNAL_ERROR")
	}
	if user := a.usedLibrary(p.packages); user != "" {
		return failure("DELETE_FAILED_USED_SHARED_LIBRARY")
	}
	if set["--user"] == "" && a.system() { // its update goes, and what came with the phone is there again
		a.Updated = false
		c.print("Success\n")
		return 0
	}
	a.users[user].installed, a.Updated, a.noise = false, false, newNoise(a.PackageSpec)
	p.takenOff[a.Name]++
	if a.Owner {
		p.packages = slices.DeleteFunc(p.packages, func(x *app) bool { return x == a })
		delete(p.byName, a.Name)
	}
	p.logLine("PackageManager", fmt.Sprintf("removed for user %d: %s", user, a.Name))
	c.print("Success\n")
	return 0
}

// takes waits for as long as the phone needs to take a package off.
func (p *Phone) takes(c *command) {
	p.mu.Lock()
	takes := p.removal
	p.mu.Unlock()
	if takes > 0 {
		select {
		case <-time.After(takes):
		case <-c.ctx.Done():
		}
	}
}

// user is whom a command is about; not ok where the phone has no such user.
func (p *Phone) user(set map[string]string) (user int, ok bool) {
	switch name := set["--user"]; name {
	case "", "0", "all", "current", "cur":
		return 0, true
	default:
		n, err := strconv.Atoi(name)
		return n, err == nil && slices.Contains(p.scenario.Users, n)
	}
}

// guarded reports whether something keeps a package from going: "protected"
// by the maker, or an active device "administrator".
func (p *Phone) guarded(a *app, by string) bool {
	list := p.scenario.Protected
	if by == "administrator" {
		list = p.scenario.Administrators
	}
	return a.Guard == by || slices.Contains(list, a.Name)
}

// usedLibrary names an installed package that uses a static library of a's.
func (a *app) usedLibrary(all []*app) string {
	for _, lib := range a.Provides {
		if !strings.HasPrefix(lib, "static:") {
			continue
		}
		for _, other := range all {
			if other != a && other.first().installed && slices.Contains(other.Uses, lib) {
				return other.Name
			}
		}
	}
	return ""
}

func (p *Phone) setEnabled(c *command, state int, word string) byte {
	set, names, unknown := options(c.args, "", "--user")
	user, ok := p.user(set)
	if unknown != "" || len(names) == 0 || !ok {
		return c.fail(1, "Error: no package or component specified")
	}
	p.takes(c)
	p.mu.Lock()
	defer p.mu.Unlock()
	a := p.byName[names[0]]
	switch {
	case a == nil || a.users[user] == nil || !a.users[user].installed:
		return c.fail(255, "Error: java.lang.IllegalArgumentException: Unknown package: %s", names[0])
	case state == 3 && p.guarded(a, "protected"):
		return c.fail(255, "Error: java.lang.SecurityException: Cannot disable a protected package: %s", a.Name)
	}
	a.users[user].enabled = state
	if state == 3 {
		p.takenOff[a.Name]++
	}
	c.print("Package %s new state: %s\n", a.Name, word)
	return 0
}

func (p *Phone) installExisting(c *command) byte {
	set, names, unknown := options(c.args, "--instant --full --wait --restrict-permissions", "--user")
	user, ok := p.user(set)
	if unknown != "" || len(names) == 0 || !ok {
		return c.fail(1, "Error: package name not specified")
	}
	p.mu.Lock()
	defer p.mu.Unlock()
	a := p.byName[names[0]]
	if a == nil {
		return c.fail(1, "android.content.pm.PackageManager$NameNotFoundException: Package %s doesn't exist", names[0])
	}
	a.users[user].installed = true
	c.print("Package %s installed for user: %d\n", a.Name, user)
	return 0
}
