package android

import (
	"bytes"
	"encoding/json"
	"fmt"
	"strings"
)

// The names of the smaller outputs in reports.
const (
	SectionRoles          = "dumpsys role"
	SectionRoleHolders    = "cmd role get-role-holders"
	SectionActivities     = "cmd package query-activities"
	SectionKeyboards      = "ime list"
	SectionSetting        = "settings get"
	SectionOverlays       = "cmd overlay list"
	SectionWebView        = "dumpsys webviewupdate"
	SectionAdministrators = "dumpsys device_policy"
	SectionSizes          = "dumpsys diskstats"
	SectionLockCode       = "locksettings verify"
	SectionFeatures       = "pm list features"
	SectionUsers          = "pm list users"
	SectionRoot           = "id"
)

// refuse notes that the phone does not know a command, and reports whether
// the line says so.
func (r *Report) refuse(line []byte) bool {
	for _, words := range []string{"Can't find service", "cmd: Can't find service", "Error: Unknown option", "Error: unknown", "Unknown command", "Unknown option", "Permission Denial", "Permission denial", "java.lang.SecurityException", "Security exception", "Error: java.lang.SecurityException"} {
		if bytes.HasPrefix(line, []byte(words)) {
			r.Refused = Printable(string(line), 200)
			return true
		}
	}
	if bytes.Contains(line, []byte("inaccessible or not found")) || bytes.HasSuffix(line, []byte(": not found")) {
		r.Refused = Printable(string(line), 200)
		return true
	}
	return false
}

// smallOutput is an output of which each line stands for itself. take returns
// why a line was not understood, "" for one that was.
type smallOutput struct {
	report Report
	room   *room
	take   func(line []byte) string
	// finish, where there is one, sees the end of the output.
	finish func()
}

func (o *smallOutput) about() *Report { return &o.report }

func (o *smallOutput) line(n int, line []byte) {
	text := bytes.TrimSpace(line)
	if o.report.full || len(text) == 0 || o.report.Refused != "" || o.report.refuse(text) {
		return
	}
	if !o.room.line() {
		o.report.overflow()
		return
	}
	if why := o.take(line); why != "" {
		o.report.note(n, line, why)
	}
}

func (o *smallOutput) end(whole bool) {
	if o.finish != nil {
		o.finish()
	}
	if o.report.Complete = whole || o.report.Refused != ""; !o.report.Complete {
		o.report.Missing = "the output ends in the middle of a line"
	}
}

// component takes "com.example.app/.Receiver" apart; the class keeps its
// leading dot off.
func component(text []byte) (PackageName, string, error) {
	name, class, ok := bytes.Cut(text, []byte("/"))
	if !ok {
		return "", "", fmt.Errorf("expected PACKAGE/CLASS")
	}
	parsed, err := ParsePackageName(string(name))
	if err != nil {
		return "", "", err
	}
	c := string(class)
	if rest, short := strings.CutPrefix(c, "."); short {
		c = string(parsed) + "." + rest
	}
	return parsed, Printable(c, 300), nil
}

const rolePrefix = "android.app.role."

// rolesOutput reads dumpsys role: blocks of name=… and holders=….
func rolesOutput(p *PhoneFacts) *smallOutput {
	current := ""
	return &smallOutput{report: Report{Section: SectionRoles}, take: func(line []byte) string {
		key, value, ok := bytes.Cut(bytes.TrimSpace(line), []byte("="))
		switch {
		case !ok:
		case string(key) == "name":
			name, platform := strings.CutPrefix(string(value), rolePrefix)
			if current = ""; platform && roleName(name) {
				current = name
			}
		case string(key) == "holders" && current != "":
			for _, h := range bytes.FieldsFunc(value, func(r rune) bool { return strings.ContainsRune("[], ;", r) }) {
				if why := holds(p, current, h); why != "" {
					return why
				}
			}
		}
		return ""
	}}
}

func roleName(name string) bool {
	return name != "" && len(name) <= 80 && strings.Trim(name, "ABCDEFGHIJKLMNOPQRSTUVWXYZ_") == ""
}

func holds(p *PhoneFacts, role string, holder []byte) string {
	name, err := ParsePackageName(string(bytes.TrimSpace(holder)))
	if err != nil {
		return err.Error()
	}
	r := p.role(role)
	r.Holders = addName(r.Holders, name)
	return ""
}

// holdersOutput reads cmd role get-role-holders for one role.
func holdersOutput(p *PhoneFacts, role string) *smallOutput {
	return &smallOutput{report: Report{Section: SectionRoleHolders + " " + role}, take: func(line []byte) string {
		for h := range bytes.SplitSeq(line, []byte(";")) {
			if len(bytes.TrimSpace(h)) == 0 {
				continue
			}
			if why := holds(p, role, h); why != "" {
				return why
			}
		}
		return ""
	}}
}

// ableOutput reads query-activities --brief: who could hold a role.
func ableOutput(p *PhoneFacts, role string) *smallOutput {
	return activitiesOutput(role, func(name PackageName) {
		r := p.role(role)
		r.Able = addName(r.Able, name)
	})
}

// iconsOutput reads query-activities --brief: what has an icon. A package may
// have several.
func iconsOutput(p *PhoneFacts) *smallOutput {
	return activitiesOutput("icons", func(name PackageName) {
		if n := len(p.Icons); n < maxNames && (n == 0 || p.Icons[n-1] != name) {
			p.Icons = append(p.Icons, name)
		}
	})
}

func activitiesOutput(what string, found func(PackageName)) *smallOutput {
	return &smallOutput{report: Report{Section: SectionActivities + " for " + what}, take: func(line []byte) string {
		text := bytes.TrimSpace(line)
		if bytes.HasSuffix(text, []byte("activities found:")) || bytes.HasSuffix(text, []byte("activities found")) ||
			bytes.HasPrefix(text, []byte("Activity #")) || bytes.HasPrefix(text, []byte("priority=")) || string(text) == "No activities found" {
			return ""
		}
		name, _, err := component(text)
		if err != nil {
			return err.Error()
		}
		found(name)
		return ""
	}}
}

func keyboardsOutput(p *PhoneFacts) *smallOutput {
	return &smallOutput{report: Report{Section: SectionKeyboards}, take: func(line []byte) string {
		name, class, err := component(bytes.TrimSpace(line))
		if err != nil {
			return err.Error()
		}
		if len(p.Keyboards) < maxNames {
			p.Keyboards = append(p.Keyboards, Keyboard{Package: name, Component: class})
		}
		return ""
	}}
}

// defaultKeyboard reads settings get secure default_input_method.
func defaultKeyboard(at *string) *smallOutput {
	return &smallOutput{report: Report{Section: SectionSetting + " default_input_method"}, take: func(line []byte) string {
		if text := bytes.TrimSpace(line); string(text) != "null" {
			name, class, err := component(text)
			if err != nil {
				return err.Error()
			}
			*at = string(name) + "/" + class
		}
		return ""
	}}
}

// overlaysOutput reads cmd overlay list: a target at the margin, then its
// overlays as "[x] NAME", "[ ] NAME" or "--- NAME".
func overlaysOutput(p *PhoneFacts) *smallOutput {
	var target PackageName
	return &smallOutput{report: Report{Section: SectionOverlays}, take: func(line []byte) string {
		text := bytes.TrimSpace(line)
		mark, rest, _ := bytes.Cut(text, []byte(" "))
		if string(mark) == "[" { // "[ ] NAME"
			mark, rest = []byte("[ ]"), bytes.TrimPrefix(rest, []byte("] "))
		}
		switch string(mark) {
		case "[x]", "[ ]", "---":
			// A package may hold several: "NAME:overlay".
			bare, _, _ := bytes.Cut(bytes.TrimSpace(rest), []byte(":"))
			name, err := ParsePackageName(string(bare))
			switch {
			case err != nil:
				return err.Error()
			case target == "":
				return "an overlay before any target"
			case len(p.Overlays) < maxNames:
				p.Overlays = append(p.Overlays, Overlay{name, target, string(mark) == "[x]"})
			}
			return ""
		}
		name, err := ParsePackageName(string(text))
		if err != nil {
			return "expected a target, or an overlay after [x], [ ] or ---"
		}
		target = name
		return ""
	}}
}

// overlayStateOutput reads dumpsys overlay: blocks of "mKey....: value".
func overlayStateOutput(p *PhoneFacts) *smallOutput {
	var current Overlay
	return &smallOutput{report: Report{Section: "dumpsys overlay"}, take: func(line []byte) string {
		key, value, ok := bytes.Cut(bytes.TrimSpace(line), []byte(": "))
		if !ok {
			return ""
		}
		text := string(value)
		switch string(bytes.TrimRight(key, ".")) {
		case "mPackageName":
			name, err := ParsePackageName(text)
			if err != nil {
				return err.Error()
			}
			current = Overlay{Package: name}
		case "mTargetPackageName":
			name, err := ParsePackageName(text)
			if err != nil {
				return err.Error()
			}
			current.Target = name
		case "mState", "mIsEnabled":
			on := text == "true" || strings.HasPrefix(text, "STATE_ENABLED")
			if string(key[:6]) == "mState" && current.Package != "" && current.Target != "" && len(p.Overlays) < maxNames {
				current.On = on
				p.Overlays = append(p.Overlays, current)
				current = Overlay{}
			}
		}
		return ""
	}}
}

// webViewOutput reads the line "Current WebView package (name, version):
// (NAME, VERSION)".
func webViewOutput(p *PhoneFacts) *smallOutput {
	return &smallOutput{report: Report{Section: SectionWebView}, take: func(line []byte) string {
		_, rest, ok := bytes.Cut(line, []byte("Current WebView package (name, version): ("))
		if !ok {
			return ""
		}
		bare, _, _ := bytes.Cut(rest, []byte(","))
		if string(bare) == "null" {
			return ""
		}
		name, err := ParsePackageName(string(bare))
		if err != nil {
			return err.Error()
		}
		p.WebView = name
		return ""
	}}
}

// administratorsOutput reads the list of dumpsys device_policy.
func administratorsOutput(p *PhoneFacts) *smallOutput {
	depth, inside := 0, false
	return &smallOutput{report: Report{Section: SectionAdministrators}, take: func(line []byte) string {
		text, d := bytes.TrimSpace(line), indent(line)
		if bytes.HasPrefix(text, []byte("Enabled Device Admins (User 0")) {
			depth, inside = d, true
			return ""
		}
		if inside && d <= depth {
			inside = false
		}
		// "com.example.app/.Receiver:", with the receiver's own lines deeper.
		entry, ok := bytes.CutSuffix(text, []byte(":"))
		if !inside || !ok || d > depth+2 || !bytes.ContainsRune(entry, '/') {
			return ""
		}
		name, _, err := component(entry)
		if err != nil {
			return err.Error()
		}
		p.Administrators = addName(p.Administrators, name)
		return ""
	}}
}

// sizes are the parallel lists of dumpsys diskstats.
type sizes struct {
	names            []string
	app, data, cache []int64
}

func sizesOutput(s *sizes) *smallOutput {
	return &smallOutput{report: Report{Section: SectionSizes}, take: func(line []byte) string {
		key, value, _ := bytes.Cut(line, []byte(": "))
		var err error
		switch string(bytes.TrimSpace(key)) {
		case "Package Names":
			err = json.Unmarshal(value, &s.names)
		case "App Sizes":
			err = json.Unmarshal(value, &s.app)
		case "App Data Sizes":
			err = json.Unmarshal(value, &s.data)
		case "Cache Sizes":
			err = json.Unmarshal(value, &s.cache)
		}
		if err != nil {
			return "expected a list: " + Printable(err.Error(), 100)
		}
		return ""
	}}
}

// put gives packages their sizes.
func (s *sizes) put(packages map[PackageName]*Package) {
	get := func(list []int64, i int) int64 {
		if i < len(list) && list[i] > 0 {
			return list[i]
		}
		return 0
	}
	for i, name := range s.names {
		if p := packages[PackageName(name)]; p != nil {
			p.AppBytes, p.DataBytes, p.CacheBytes = get(s.app, i), get(s.data, i), get(s.cache, i)
		}
	}
}

// lockCodeOutput reads locksettings verify, which succeeds without a code
// only where none is set.
func lockCodeOutput(p *PhoneFacts) *smallOutput {
	return &smallOutput{report: Report{Section: SectionLockCode}, take: func(line []byte) string {
		switch {
		case bytes.Contains(line, []byte("verified successfully")):
			p.LockCode = LockCodeNotSet
		case bytes.Contains(line, []byte("didn't match")), bytes.Contains(line, []byte("mismatch")), bytes.Contains(line, []byte("not provided")):
			p.LockCode = LockCodeSet
		default:
			return "expected the result of the check"
		}
		return ""
	}}
}

func featuresOutput(p *PhoneFacts) *smallOutput {
	return &smallOutput{report: Report{Section: SectionFeatures}, take: func(line []byte) string {
		name, ok := bytes.CutPrefix(bytes.TrimSpace(line), []byte("feature:"))
		if !ok {
			return "expected feature:NAME"
		}
		if len(p.Features) < maxNames && len(name) > 0 {
			p.Features = append(p.Features, Printable(string(name), 200))
		}
		return ""
	}}
}

func usersOutput(p *PhoneFacts) *smallOutput {
	return &smallOutput{report: Report{Section: SectionUsers}, take: func(line []byte) string {
		if bytes.Contains(line, []byte("UserInfo{")) {
			p.Users++
		}
		return ""
	}}
}

// rootOutput reads id, and the path of a su program where there is one.
func rootOutput(p *PhoneFacts) *smallOutput {
	return &smallOutput{report: Report{Section: SectionRoot}, take: func(line []byte) string {
		text := bytes.TrimSpace(line)
		switch {
		case bytes.HasPrefix(text, []byte("uid=0(")):
			p.Root = RootShell
		case bytes.HasPrefix(text, []byte("uid=")):
			if p.Root == "" {
				p.Root = RootNo
			}
		case bytes.HasSuffix(text, []byte("/su")):
			if p.Root != RootShell {
				p.Root = RootSu
			}
		default:
			return "expected uid=… or the path of su"
		}
		return ""
	}}
}
