package android

import (
	"bytes"
	"slices"
	"strings"
)

// opener begins an output whose answer goes to r, and says what to do with it
// at its end.
type opener func(r *Reading) (o output, keep func(t *Text, line int) (foreign bool))

// small opens an output that writes to the reading itself as it goes.
func small(make func(r *Reading) *smallOutput) opener {
	return func(r *Reading) (output, func(*Text, int) bool) {
		o := make(r)
		o.room = r.space()
		return o, nil
	}
}

func onPhone(make func(p *PhoneFacts) *smallOutput) opener {
	return small(func(r *Reading) *smallOutput { return make(&r.phone) })
}

// fixed are commands that mean one thing however they are written.
var fixed = map[string]opener{
	"getprop":               openProperties,
	"dumpsys package":       openDump,
	"dumpsys role":          onPhone(rolesOutput),
	"dumpsys overlay":       onPhone(overlayStateOutput),
	"dumpsys webviewupdate": onPhone(webViewOutput),
	"dumpsys device_policy": onPhone(administratorsOutput),
	"dumpsys diskstats":     small(func(r *Reading) *smallOutput { return sizesOutput(&r.sizes) }),
	"cmd overlay list":      onPhone(overlaysOutput),
	"locksettings verify":   onPhone(lockCodeOutput),
	"pm list features":      onPhone(featuresOutput),
	"pm list users":         onPhone(usersOutput),
	"id":                    onPhone(rootOutput),
	"settings get secure default_input_method": small(func(r *Reading) *smallOutput { return defaultKeyboard(&r.keyboard) }),
}

// answerTo finds the reader for a command line; nil for one whose answer is
// of no use here.
func answerTo(words []string) opener {
	line := strings.Join(words, " ")
	line = strings.Replace(line, "cmd package list ", "pm list ", 1)
	if o, ok := fixed[line]; ok {
		return o
	}
	words = strings.Fields(line)
	switch {
	case strings.HasPrefix(line, "pm list packages"):
		return packageListOpener(words[3:])
	case strings.HasPrefix(line, "ime list"):
		return onPhone(keyboardsOutput)
	case strings.HasPrefix(line, "cmd role get-role-holders"):
		if role, ok := strings.CutPrefix(words[len(words)-1], rolePrefix); ok && roleName(role) {
			return onPhone(func(p *PhoneFacts) *smallOutput { return holdersOutput(p, role) })
		}
	case strings.HasPrefix(line, "cmd package query-activities"):
		for role, query := range roleQueries {
			if strings.HasSuffix(line, " "+query) {
				return onPhone(func(p *PhoneFacts) *smallOutput { return ableOutput(p, role) })
			}
		}
		if strings.HasSuffix(line, " "+IconQuery) {
			return onPhone(iconsOutput)
		}
	}
	return nil
}

// packageListOpener reads the options of pm list packages.
func packageListOpener(options []string) opener {
	option := ""
	for i, o := range options {
		switch {
		case o == "--user" && i+1 < len(options) && options[i+1] != "0":
			return nil // somebody else's packages
		case o == "-u":
			option = o // also says which are removed, whatever else is asked
		case option == "" && slices.Contains([]string{"-d", "-s", "-3", "-e"}, o):
			option = o
		}
	}
	return openList(option)
}

func openProperties(r *Reading) (output, func(*Text, int) bool) {
	o := newPropertiesOutput(r.space())
	return o, func(t *Text, line int) bool { return r.addProperties(o, t, line) }
}

func openDump(r *Reading) (output, func(*Text, int) bool) {
	o := newDumpOutput(r.space())
	return o, func(*Text, int) bool { r.addDump(o); return false }
}

func openList(option string) opener {
	return func(r *Reading) (output, func(*Text, int) bool) {
		section := strings.TrimSpace(SectionPackageList + " " + option)
		o := &listOutput{report: Report{Section: section}, option: option, room: r.space()}
		return o, func(*Text, int) bool { r.addList(o); return false }
	}
}

// commandLine tells whether a line is where a command was typed: after a
// prompt, or after a bare "$ ". Words are those of the command on the phone.
func commandLine(line []byte) (words []string, ok bool) {
	if len(line) > 400 {
		return nil, false
	}
	at := bytes.IndexAny(line[:min(len(line), 100)], "$#>")
	if at < 0 || at > 0 && !bytes.ContainsAny(line[:at], `:\@/`) {
		return nil, false
	}
	rest := bytes.TrimSpace(line[at+1:])
	if len(rest) == 0 || at+1 < len(line) && line[at+1] != ' ' && line[0] == '$' {
		return nil, false
	}
	for _, w := range bytes.Fields(rest) {
		words = append(words, strings.Trim(string(w), `"'`))
	}
	if words[0] == "adb" || strings.HasSuffix(words[0], "/adb") || strings.HasSuffix(words[0], "adb.exe") {
		words = words[1:]
		for len(words) > 0 && strings.HasPrefix(words[0], "-") {
			takes := 1
			if words[0] == "-s" || words[0] == "-t" {
				takes = 2
			}
			words = words[min(len(words), takes):]
		}
		if len(words) == 0 || words[0] != "shell" && words[0] != "exec-out" {
			return nil, false
		}
		words = words[1:]
	}
	// What else was typed on the line does not change what the first command
	// printed first.
	if i := slices.IndexFunc(words, func(w string) bool { return strings.ContainsAny(w, ">|;&") }); i >= 0 {
		first := words[i][:strings.IndexAny(words[i], ">|;&")]
		if words = words[:i]; first != "" {
			words = append(words, first)
		}
	}
	return words, len(words) > 0
}

// guess tells from a line at the margin which output begins there.
func guess(line []byte) (name string, o opener) {
	has := func(prefix string) bool { return bytes.HasPrefix(line, []byte(prefix)) }
	switch {
	case has("package:/"):
		return "list with paths", openList("-u")
	case has("package:"):
		return "list", openList("")
	case has("feature:"):
		return "features", fixed["pm list features"]
	case has("Current WebView "):
		return "web view", fixed["dumpsys webviewupdate"]
	case has("Current Device Policy Manager state"), has("Enabled Device Admins"):
		return "administrators", fixed["dumpsys device_policy"]
	case has("Latency: "), has("Package Names: ["):
		return "sizes", fixed["dumpsys diskstats"]
	case has("ROLE ") && bytes.Contains(line, []byte("dumpsys role")):
		return "roles", fixed["dumpsys role"]
	case has("uid="):
		return "root", fixed["id"]
	}
	if _, ok := sections[string(bytes.TrimRight(line, " "))]; ok || has("Database versions:") || bytes.HasSuffix(line, []byte("Resolver Table:")) {
		return "dump", openDump
	}
	if _, _, ok := propertyStart(line); ok {
		return "properties", openProperties
	}
	return "", nil
}
