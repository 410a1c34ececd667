package phone

import (
	"bufio"
	"fmt"
	"maps"
	"slices"
	"strconv"
	"strings"
	"time"
)

func (p *Phone) getprop(c *command) byte {
	p.mu.Lock()
	properties := maps.Clone(p.scenario.Properties)
	properties["ro.runtime.firstboot"] = strconv.FormatInt(p.started.UnixMilli(), 10)
	if p.disk != nil && (p.stuck != "" || time.Now().Before(p.awayUntil)) {
		properties["sys.boot_completed"] = ""
	}
	p.mu.Unlock()
	if len(c.args) > 0 {
		c.print("%s\n", properties[c.args[0]])
		return 0
	}
	w := bufio.NewWriter(c.out)
	for _, k := range slices.Sorted(maps.Keys(properties)) {
		fmt.Fprintf(w, "[%s]: [%s]\n", k, properties[k])
	}
	w.Flush()
	return 0
}

func (p *Phone) settingsCmd(c *command) byte {
	if len(c.args) < 2 {
		return c.fail(255, "Invalid arguments: want a verb and a namespace")
	}
	verb, namespace := c.args[0], c.args[1]
	p.mu.Lock()
	defer p.mu.Unlock()
	values, ok := p.settings[namespace]
	if !ok {
		return c.fail(255, "Error: Invalid namespace '%s'", namespace)
	}
	rest := c.args[2:]
	switch {
	case verb == "list":
		keys := make([]string, 0, len(values))
		for k := range values {
			keys = append(keys, k)
		}
		slices.Sort(keys)
		for _, k := range keys {
			c.print("%s=%s\n", k, values[k])
		}
	case verb == "get" && len(rest) == 1 && rest[0] == "default_input_method" && !slices.Contains(p.keyboards(), values[rest[0]]):
		if k := p.keyboards(); len(k) > 0 {
			c.print("%s\n", k[0])
		} else {
			c.print("null\n")
		}
	case verb == "get" && len(rest) == 1:
		if v, ok := values[rest[0]]; ok {
			c.print("%s\n", v)
		} else {
			c.print("null\n")
		}
	case verb == "put" && len(rest) == 2:
		values[rest[0]] = rest[1]
	case verb == "delete" && len(rest) == 1:
		n := 0
		if _, ok := values[rest[0]]; ok {
			n = 1
		}
		delete(values, rest[0])
		c.print("Deleted %d rows\n", n)
	default:
		return c.fail(255, "Invalid command: %s", verb)
	}
	return 0
}

// logcat prints what the log holds; without -d it stays and waits for more.
func (p *Phone) logcat(c *command) byte {
	p.mu.Lock()
	lines := slices.Clone(p.logLines)
	p.mu.Unlock()
	if i := slices.Index(c.args, "-b"); i >= 0 && i+1 < len(c.args) && c.args[i+1] == "events" {
		p.mu.Lock()
		defer p.mu.Unlock()
		c.print("--------- beginning of events\n11-29 08:00:21.000  1412  1430 I boot_progress_enable_screen: %d\n", p.startTook().Milliseconds())
		return 0
	}
	c.print("--------- beginning of main\n")
	earlier := lines
	if i := slices.Index(c.args, "-T"); i >= 0 && i+1 < len(c.args) {
		n, _ := strconv.Atoi(c.args[i+1])
		earlier = lines[max(0, len(lines)-n):]
	}
	for _, l := range earlier {
		c.print("%s\n", l)
	}
	if slices.Contains(c.args, "-d") {
		return 0
	}
	shown := len(lines)
	for {
		select {
		case <-c.ctx.Done():
			return 130
		case <-time.After(50 * time.Millisecond):
		}
		p.mu.Lock()
		more := slices.Clone(p.logLines[min(shown, len(p.logLines)):])
		p.mu.Unlock()
		for _, l := range more {
			c.print("%s\n", l)
		}
		shown += len(more)
	}
}

func (p *Phone) logLine(tag, text string) {
	p.logLines = append(p.logLines, fmt.Sprintf("I/%s( 1412): %s", tag, text))
	if len(p.logLines) > 1000 {
		p.logLines = p.logLines[len(p.logLines)-1000:]
	}
}

func (p *Phone) reboot(c *command) byte {
	if !slices.Contains([]string{"", "system"}, strings.Join(c.args, "")) {
		return c.fail(1, "reboot: this phone restarts into its system alone")
	}
	time.AfterFunc(20*time.Millisecond, p.Restart)
	return 0
}

// df tells how much room there is on the data partition, as toybox prints it.
func (p *Phone) df(c *command) byte {
	free := 81_203_456
	if p.scenario.DiskFull {
		free = 1
	}
	if _, names := c.words(); p.disk != nil && len(names) == 1 && slices.Contains(partitions, names[0]) {
		at := names[0]
		p.mu.Lock()
		used := 3_000_000 + p.disk.used(at)
		p.mu.Unlock()
		c.print("Filesystem     1K-blocks     Used Available Use%% Mounted on\n"+
			"/dev/block/dm-%s %d %d %d %d%% %s\n", at[1:2], 4_000_000, used, 4_000_000-used, used/40_000, at)
		return 0
	}
	if slices.Contains(c.args, "/system") {
		c.print("Filesystem     1K-blocks     Used Available Use%% Mounted on\n/dev/block/dm-0   4000000  3998716      1284 100%% /\n")
		return 0
	}
	c.print("Filesystem     1K-blocks     Used Available Use%% Mounted on\n"+
		"/dev/block/dm-9 112345678 %d %d %d%% /data\n", 112_345_678-free, free, (112_345_678-free)/1_123_457)
	return 0
}
