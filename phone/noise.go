package phone

import (
	"bufio"
	"fmt"
	"io"
	"slices"
	"strconv"
	"strings"
)

// noise is what a package may do unasked, for the phone's first user.
type noise struct {
	modes   map[string]string // of operations that somebody set
	exempt  string            // whose exception from saving the battery it is
	bucket  int
	revoked bool // it may not notify
}

// quietOps are the operations that a phone knows, with the API level since when.
var quietOps = map[string]int{"RUN_ANY_IN_BACKGROUND": 28, "RUN_IN_BACKGROUND": 24, "POST_NOTIFICATION": 19}

// notifying is the permission to notify, and the API level since when it is one.
const (
	notifying      = "android.permission.POST_NOTIFICATIONS"
	notifyingSince = 33
)

func newNoise(spec PackageSpec) noise {
	n := noise{modes: map[string]string{}, exempt: spec.Exempt, bucket: 10 * (1 + int(hashOf(spec.Name)%4))}
	if n.exempt != "" {
		n.bucket = 5
	}
	return n
}

// quietOf finds the package that a command is about; its lock is held.
func (p *Phone) quietOf(name string) *app {
	if a := p.byName[name]; a != nil && a.first().installed {
		return a
	}
	return nil
}

// appops answers cmd appops get and set.
func (p *Phone) appops(c *command) byte {
	_, words, _ := options(c.args, "", "--user")
	if len(words) < 3 || words[0] != "get" && (words[0] != "set" || len(words) < 4) {
		return c.fail(255, "Unknown command: %s", strings.Join(c.args, " "))
	}
	p.mu.Lock()
	defer p.mu.Unlock()
	a := p.quietOf(words[1])
	switch since, known := quietOps[words[2]]; {
	case a == nil:
		return c.fail(255, "Error: No UID for %s in user 0", words[1])
	case !known || p.scenario.sdk < since:
		return c.fail(255, "Error: Unknown operation string: %s", words[2])
	}
	if words[0] == "get" {
		if mode, ok := a.noise.modes[words[2]]; ok {
			c.print("%s: %s\n", words[2], mode)
		} else {
			c.print("No operations.\n")
			if p.scenario.sdk >= 29 {
				c.print("Default mode: allow\n")
			}
		}
		return 0
	}
	switch mode := words[3]; {
	case mode == "default":
		delete(a.noise.modes, words[2])
	case slices.Contains([]string{"allow", "ignore", "deny", "foreground"}, mode):
		a.noise.modes[words[2]] = mode
	default:
		return c.fail(255, "Error: Mode %s is not valid", mode)
	}
	return 0
}

// deviceidle answers cmd deviceidle whitelist, with +NAME or -NAME.
func (p *Phone) deviceidle(c *command) byte {
	if len(c.args) == 0 || c.args[0] != "whitelist" {
		return c.fail(255, "Unknown command: %s", strings.Join(c.args, " "))
	}
	p.mu.Lock()
	defer p.mu.Unlock()
	if len(c.args) == 1 {
		for _, whose := range []string{"system", "user"} {
			for _, a := range p.packages {
				if a.noise.exempt == whose && a.first().installed {
					c.print("%s,%s,%d\n", whose, a.Name, a.uid)
				}
			}
		}
		return 0
	}
	add, name := strings.HasPrefix(c.args[1], "+"), strings.TrimLeft(c.args[1], "+-")
	a := p.quietOf(name)
	switch {
	case a == nil:
		c.print("Unknown package: %s\n", name)
	case add:
		c.print("Added: %s\n", name)
		if a.noise.exempt == "" {
			a.noise.exempt, a.noise.bucket = "user", 5
		}
	case a.noise.exempt == "user":
		c.print("Removed: %s\n", name)
		a.noise.exempt = ""
	}
	return 0
}

var bucketWords = map[string]int{"active": 10, "working_set": 20, "frequent": 30, "rare": 40, "restricted": 45}

// am is the activity manager's command line, as far as quietening needs it.
func (p *Phone) am(c *command) byte {
	if len(c.args) > 0 && c.args[0] == "start" {
		p.mu.Lock()
		defer p.mu.Unlock()
		return p.openScreen(c)
	}
	_, words, _ := options(c.args, "", "--user")
	if len(words) < 2 {
		return c.fail(1, "Error: unknown command '%s'", strings.Join(c.args, " "))
	}
	p.mu.Lock()
	defer p.mu.Unlock()
	a := p.quietOf(words[1])
	buckets := p.scenario.sdk >= 28
	switch {
	case words[0] == "force-stop":
		if a != nil {
			p.logLine("ActivityManager", "Force stopping "+a.Name+" appid="+strconv.Itoa(a.uid)+" user=0: from pid 2000")
		}
		return 0
	case words[0] == "get-standby-bucket" && buckets:
		if a == nil {
			c.print("50\n")
			return 0
		}
		c.print("%d\n", a.noise.bucket)
		return 0
	case words[0] == "set-standby-bucket" && buckets && len(words) == 3:
		bucket, ok := bucketWords[words[2]]
		if !ok || words[2] == "restricted" && p.scenario.sdk < 30 {
			return c.fail(255, "Error: Unknown bucket: %s", words[2])
		}
		if a != nil && a.noise.exempt == "" {
			a.noise.bucket = bucket
		}
		return 0
	}
	return c.fail(255, "Error: unknown command '%s'", words[0])
}

// grant answers pm grant and pm revoke; notifying is the one permission that the
// stand-in lets go.
func (p *Phone) grant(verb string, c *command) byte {
	_, words, _ := options(c.args, "", "--user")
	if len(words) != 2 {
		return c.fail(255, "Error: no package or permission specified")
	}
	p.mu.Lock()
	defer p.mu.Unlock()
	a := p.quietOf(words[0])
	failed := "Exception occurred while executing '" + verb + "':\njava.lang."
	switch {
	case a == nil:
		return c.fail(255, "%sIllegalArgumentException: Unknown package: %s", failed, words[0])
	case words[1] != notifying || !a.mayAsk(p.scenario.sdk):
		return c.fail(255, "%sSecurityException: Package %s has not requested permission %s", failed, a.Name, words[1])
	case a.NotifyFixed:
		return c.fail(255, "%sSecurityException: Permission %s of %s is fixed by the system", failed, notifying, a.Name)
	}
	a.noise.revoked = verb == "revoke"
	return 0
}

// mayAsk reports whether a package has asked for the permission to notify, on a
// phone of an API level.
func (a *app) mayAsk(sdk int) bool {
	return sdk >= notifyingSince && (a.icon() || a.Notifies)
}

// runtimePermissions are those of a package for the first user.
func (d dumper) runtimePermissions(w *bufio.Writer, a *app) {
	if a.mayAsk(d.sdk) {
		fmt.Fprintf(w, "        %s: granted=%t, flags=[ USER_SENSITIVE_WHEN_GRANTED%s]\n", notifying, !a.noise.revoked, when(a.NotifyFixed, "|SYSTEM_FIXED"))
	}
}

// grep prints the lines of what is piped into it that hold a text.
func (p *Phone) grep(c *command) byte {
	_, words, unknown := options(c.args, "-F", "")
	if len(words) != 1 || unknown != "" || c.in == nil {
		return c.fail(2, "grep: needs a text, and something piped into it")
	}
	raw, _ := io.ReadAll(c.in) // nothing was piped where it fails
	code := byte(1)
	for line := range strings.Lines(string(raw)) {
		if strings.Contains(line, words[0]) {
			c.print("%s\n", strings.TrimRight(line, "\n"))
			code = 0
		}
	}
	return code
}
