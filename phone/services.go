package phone

import (
	"bufio"
	"encoding/json"
	"fmt"
	"slices"
	"strings"
)

// able lists who can hold a role now, in the phone's order.
func (p *Phone) able(role string) []*app {
	var list []*app
	for _, a := range p.packages {
		if slices.Contains(a.Roles, role) && a.first().installed && a.first().enabled < 2 {
			list = append(list, a)
		}
	}
	return list
}

// shown are the packages with an icon that can be opened now.
func (p *Phone) shown() []*app {
	var list []*app
	for _, a := range p.packages {
		if a.icon() && a.first().installed && a.first().enabled < 2 {
			list = append(list, a)
		}
	}
	return list
}

// holder is who holds a role now: whoever was chosen, or the first who can.
func (p *Phone) holder(role string) string {
	list := p.able(role)
	for _, a := range list {
		if a.Name == p.holders[role] {
			return a.Name
		}
	}
	if len(list) == 0 {
		return ""
	}
	return list[0].Name
}

func (p *Phone) roles() []string {
	var roles []string
	for _, a := range p.packages {
		for _, r := range a.Roles {
			if !slices.Contains(roles, r) {
				roles = append(roles, r)
			}
		}
	}
	slices.Sort(roles)
	return roles
}

func (p *Phone) dumpRoles(w *bufio.Writer, _ []string) {
	w.WriteString("ROLE STATE (dumpsys role):\n{\n  user_states={\n    user_id=0\n    version=5\n")
	for _, r := range p.roles() {
		fmt.Fprintf(w, "    roles={\n      name=android.app.role.%s\n", r)
		if h := p.holder(r); h != "" {
			fmt.Fprintf(w, "      holders=%s\n", h)
		}
		w.WriteString("    }\n")
	}
	w.WriteString("  }\n}\n")
}

// keyboards lists input methods that are there, as package/.class.
func (p *Phone) keyboards() []string {
	var list []string
	for _, a := range p.packages {
		if a.Keyboard && a.first().installed && a.first().enabled < 2 {
			list = append(list, a.Name+"/.InputService")
		}
	}
	return list
}

func (p *Phone) ime(c *command) byte {
	p.mu.Lock()
	defer p.mu.Unlock()
	words := append(c.args, "", "")
	switch there := slices.Contains(p.keyboards(), words[1]); {
	case words[0] == "list":
		for _, k := range p.keyboards() {
			c.print("%s\n", k)
		}
	case words[0] != "enable" && words[0] != "set":
		return c.fail(255, "Unknown command: %s", strings.Join(c.args, " "))
	case !there:
		return c.fail(255, "Unknown input method %s cannot be selected for user #0", words[1])
	case words[0] == "enable":
		c.print("Input method %s: now enabled for user #0\n", words[1])
	default:
		p.settings["secure"]["default_input_method"] = words[1]
		c.print("Input method %s selected for user #0\n", words[1])
	}
	return 0
}

func (p *Phone) overlays() map[string][]*app {
	targets := map[string][]*app{}
	for _, a := range p.packages {
		if a.Overlays != "" && a.first().installed {
			targets[a.Overlays] = append(targets[a.Overlays], a)
		}
	}
	return targets
}

// overlayMark is "[x]" for an overlay that is on, "---" for one whose target
// is not there.
func (p *Phone) overlayMark(a *app) string {
	switch target := p.byName[a.Overlays]; {
	case target == nil || !target.first().installed:
		return "---"
	case a.Off || a.first().enabled > 1:
		return "[ ]"
	}
	return "[x]"
}

func (p *Phone) overlayList(c *command) byte {
	p.mu.Lock()
	defer p.mu.Unlock()
	targets := p.overlays()
	for _, a := range p.packages {
		list := targets[a.Name]
		if len(list) == 0 {
			continue
		}
		c.print("%s\n", a.Name)
		for _, o := range list {
			c.print("%s %s\n", p.overlayMark(o), o.Name)
		}
		c.print("\n")
	}
	return 0
}

func (p *Phone) dumpOverlays(w *bufio.Writer, _ []string) {
	for _, a := range p.packages {
		if a.Overlays != "" && a.first().installed {
			state := map[string]string{"[x]": "STATE_ENABLED", "[ ]": "STATE_DISABLED", "---": "STATE_MISSING_TARGET"}[p.overlayMark(a)]
			fmt.Fprintf(w, "%s:0 {\n  mPackageName...........: %s\n  mUserId................: 0\n  mTargetPackageName.....: %s\n  mState.................: %s\n}\n", a.Name, a.Name, a.Overlays, state)
		}
	}
}

func (p *Phone) dumpWebView(w *bufio.Writer, _ []string) {
	w.WriteString("Current WebView Update Service state\n  Multiprocess enabled: true\n")
	for _, a := range p.packages {
		if a.WebView && a.first().installed && a.first().enabled < 2 {
			fmt.Fprintf(w, "  Current WebView package (name, version): (%s, %s)\n", a.Name, a.Version)
			return
		}
	}
	w.WriteString("  Current WebView package (name, version): (null, null)\n")
}

func (p *Phone) dumpPolicy(w *bufio.Writer, _ []string) {
	w.WriteString("Current Device Policy Manager state:\n  Enabled Device Admins (User 0, provisioningState: 0):\n")
	for _, a := range p.packages {
		if p.guarded(a, "administrator") && a.first().installed {
			fmt.Fprintf(w, "    %s/.Administrator:\n      uid=%d\n      testOnlyAdmin=false\n      policies:\n        force-lock\n", a.Name, a.uid)
		}
	}
	w.WriteString("    mPasswordOwner=-1\n")
}

func (p *Phone) dumpSizes(w *bufio.Writer, _ []string) {
	var names []string
	var app, data, cache []int64
	for _, a := range p.packages {
		if !a.first().installed {
			continue
		}
		h := int64(hashOf(a.Name))
		names, app = append(names, a.Name), append(app, 1<<20+h%(90<<20))
		data, cache = append(data, 16<<10+h%(4<<20)), append(cache, h%(1<<20))
	}
	line := func(title string, list any) {
		raw, err := json.Marshal(list)
		if err != nil {
			panic(err)
		}
		fmt.Fprintf(w, "%s: %s\n", title, raw)
	}
	w.WriteString("Latency: 1ms [512B Data Write]\nRecent Disk Write Speed (kB/s) = 48301\nData-Free: 81203456K / 112345678K total = 72% free\n")
	line("Package Names", names)
	line("App Sizes", app)
	line("App Data Sizes", data)
	line("Cache Sizes", cache)
}

func (p *Phone) locksettings(c *command) byte {
	p.mu.Lock()
	defer p.mu.Unlock()
	switch strings.Join(c.args, " ") {
	case "verify":
		if p.lockCode {
			c.print("Old password '' didn't match\n")
			return 1
		}
		c.print("Lock credential verified successfully\n")
		return 0
	}
	return c.fail(255, "Unknown command: %s", strings.Join(c.args, " "))
}

func (p *Phone) list(c *command) byte {
	what := strings.Join(c.args[:min(len(c.args), 1)], "")
	switch what {
	case "packages":
		return p.listPackages(c.with(c.args[1:]))
	case "features":
		for _, f := range []string{"reqGlEsVersion=0x30002", "android.hardware.bluetooth", "android.hardware.camera.any", "android.hardware.wifi", "android.software.webview"} {
			c.print("feature:%s\n", f)
		}
		if p.scenario.Properties["ro.build.characteristics"] == "tv" {
			c.print("feature:android.software.leanback\n")
		} else {
			c.print("feature:android.hardware.telephony\nfeature:android.hardware.nfc\n")
		}
		return 0
	case "users":
		c.print("Users:\n\tUserInfo{0:Owner:c13} running\n")
		for _, u := range p.scenario.Users {
			c.print("\tUserInfo{%d:Guest %d:410}\n", u, u)
		}
		return 0
	}
	return c.fail(1, "Error: unknown list type '%s'", what)
}

// query answers who could do a job, as cmd package query-activities --brief.
func (p *Phone) query(verb string, c *command) byte {
	set, _, _ := options(c.args, "--brief --components", "-a -c -d -t --user")
	role := map[string]string{
		"android.intent.action.DIAL": "DIALER", "android.intent.action.SENDTO": "SMS", "android.intent.action.VIEW": "BROWSER",
		"android.intent.action.ASSIST": "ASSISTANT", "android.telephony.action.EMERGENCY_ASSISTANCE": "EMERGENCY",
	}[set["-a"]]
	if set["-c"] == "android.intent.category.HOME" {
		role = "HOME"
	}
	p.mu.Lock()
	defer p.mu.Unlock()
	list := p.able(role)
	if set["-c"] == "android.intent.category.LAUNCHER" {
		list = p.shown()
	}
	if verb != "query-activities" {
		if h := p.holder(role); h != "" && verb == "resolve-activity" {
			c.print("priority=0 preferredOrder=0 match=0x108000 specificIndex=-1 isDefault=true\n%s/.Main\n", h)
		} else {
			c.print("No activity found\n")
		}
		return 0
	}
	if len(list) == 0 {
		c.print("No activities found\n")
		return 0
	}
	c.print("%d activities found:\n", len(list))
	for i, a := range list {
		c.print("  Activity #%d:\n    priority=0 preferredOrder=0 match=0x108000 specificIndex=-1 isDefault=true\n    %s/.Main\n", i, a.Name)
	}
	return 0
}

// role answers cmd role get-role-holders and set- or add-role-holder.
func (p *Phone) role(c *command) byte {
	if p.scenario.sdk < 29 {
		return c.fail(20, "cmd: Can't find service: role")
	}
	_, words, _ := options(c.args, "", "--user")
	if len(words) < 2 {
		return c.fail(255, "Unknown command: %s", strings.Join(c.args, " "))
	}
	role := strings.TrimPrefix(words[1], "android.app.role.")
	p.mu.Lock()
	defer p.mu.Unlock()
	switch {
	case words[0] == "get-role-holders":
		if h := p.holder(role); h != "" {
			c.print("%s\n", h)
		}
		return 0
	case (words[0] == "add-role-holder" || words[0] == "set-role-holder") && len(words) > 2:
		if !slices.ContainsFunc(p.able(role), func(a *app) bool { return a.Name == words[2] }) {
			return c.fail(255, "Error: Package does not qualify for the role")
		}
		p.holders[role] = words[2]
		return 0
	}
	return c.fail(255, "Unknown command: %s", words[0])
}

// cmd reaches a service by name.
func (p *Phone) cmd(c *command) byte {
	if len(c.args) == 0 {
		return c.fail(20, "cmd: No service specified; use -l to list all services")
	}
	rest := c.with(c.args[1:])
	switch c.args[0] {
	case "appops":
		return p.appops(rest)
	case "deviceidle":
		return p.deviceidle(rest)
	case "package":
		return p.pm(rest)
	case "role":
		return p.role(rest)
	case "overlay":
		return p.overlayList(rest)
	}
	return c.fail(20, "cmd: Can't find service: %s", c.args[0])
}
