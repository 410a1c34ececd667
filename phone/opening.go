package phone

import (
	"slices"
	"strconv"
	"strings"
)

// What a stand-in answers who opens its screens, as its owner would.

// input presses a key.
func (p *Phone) input(c *command) byte {
	if len(c.args) != 2 || c.args[0] != "keyevent" {
		return c.fail(1, "Error: Unknown command: %s", strings.Join(c.args, " "))
	}
	p.mu.Lock()
	defer p.mu.Unlock()
	switch strings.TrimPrefix(c.args[1], "KEYCODE_") {
	case "WAKEUP", "224":
		p.awake = true
	case "SLEEP", "223":
		p.awake = false
	}
	return 0
}

// timeout runs another program; the stand-in's are all quick.
func (p *Phone) timeout(c *command) byte {
	if len(c.args) < 2 {
		return c.fail(1, "timeout: Needs 2 arguments")
	}
	if _, err := strconv.Atoi(c.args[0]); err != nil {
		return c.fail(1, "timeout: bad duration '%s'", c.args[0])
	}
	run, ok := p.program(c.ctx, c.args[1])
	if !ok {
		return c.fail(127, "timeout: exec %s: No such file or directory", c.args[1])
	}
	return run(p, c.with(c.args[2:]))
}

// ps lists what runs, by name alone.
func (p *Phone) ps(c *command) byte {
	p.mu.Lock()
	defer p.mu.Unlock()
	c.print("NAME\ninit\nsystem_server\n")
	for _, a := range p.packages {
		if a.runs() {
			c.print("%s\n", a.Name)
		}
	}
	return 0
}

// pressure is how much memory apps hold that run by themselves, in MB: the more they
// do, the longer everything else takes. The lock is held.
func (p *Phone) pressure() int64 {
	var kb int64
	for _, a := range p.packages {
		if a.runs() {
			kb += p.memory(a)
		}
	}
	return kb >> 10
}

// openings are the screens that can be opened by what they do: who shows one, and in
// how many milliseconds on a phone on which nothing else runs.
var openings = map[string]struct {
	shows func(*Phone, *app) bool
	takes int64
}{
	"android.intent.action.MAIN":              {func(p *Phone, a *app) bool { return slices.Contains(a.Roles, "HOME") }, 240},
	"android.intent.action.DIAL":              {func(p *Phone, a *app) bool { return slices.Contains(a.Roles, "DIALER") }, 330},
	"android.media.action.STILL_IMAGE_CAMERA": {func(p *Phone, a *app) bool { return strings.HasSuffix(a.Name, ".camera") }, 520},
	"android.settings.SETTINGS":               {func(p *Phone, a *app) bool { return a.Name == "com.android.settings" }, 410},
}

// openScreen answers am start -W. The lock is held.
func (p *Phone) openScreen(c *command) byte {
	at := slices.Index(c.args, "-a")
	if at < 0 || at+1 >= len(c.args) {
		return c.fail(1, "Error: Intent is empty")
	}
	action := c.args[at+1]
	c.print("Starting: Intent { act=%s }\n", action)
	o, known := openings[action]
	i := slices.IndexFunc(p.packages, func(a *app) bool {
		return known && a.first().installed && a.first().enabled <= 1 && o.shows(p, a)
	})
	switch {
	case i < 0:
		return c.fail(1, "Error: Activity not started, unable to resolve Intent { act=%s flg=0x10000000 }", action)
	case p.lockCode || !p.awake:
		c.print("Status: timeout\nLaunchState: UNKNOWN (0)\nWaitTime: 8002\nComplete\n")
		return 0
	}
	a := p.packages[i]
	if !slices.Contains(p.drew, a) {
		p.drew = append(p.drew, a)
	}
	p.opened++
	took := o.takes + o.takes*p.pressure()/6000
	took += took * p.wobble(action+strconv.Itoa(p.opened), 60) / 1000
	c.print("Status: ok\nLaunchState: COLD\nActivity: %s/.Main\nTotalTime: %d\nWaitTime: %d\nComplete\n", a.Name, took, took+9)
	return 0
}
