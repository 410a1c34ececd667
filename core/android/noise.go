package android

import (
	"regexp"
	"slices"
	"strconv"
	"strings"
)

// Noise is what a package may do that nobody asked it for, as far as a phone
// tells: to work in the background, to notify, to be left out of what saves the
// battery. A phone that tells nothing of a part has "" there, or 0.
type Noise struct {
	// Any and In are the modes of the operations RUN_ANY_IN_BACKGROUND (since
	// Android 9) and RUN_IN_BACKGROUND.
	Any, In string
	// Notify is Granted or Revoked where notifying is a permission (since
	// Android 13), else the mode of the operation POST_NOTIFICATION.
	Notify string
	// Exempt says whose exception from saving the battery it is: that of the
	// "user", or that of the "system", which a computer can't withdraw.
	Exempt string
	// Bucket is the platform's number of its standby bucket: 10 for what is in
	// use up to 45 for what hardly ever may start.
	Bucket int
}

// What becomes of the permission to notify.
const (
	Granted = "granted"
	Revoked = "revoked"
)

// modes are those of operations, as the platform writes them.
var modes = []string{"allow", "ignore", "deny", "default", "foreground"}

// buckets are the words for standby buckets that a phone can be told.
var buckets = map[int]string{10: "active", 20: "working_set", 30: "frequent", 40: "rare", 45: "restricted"}

// noiseMark marks the parts of an answer.
const noiseMark = "--noise-"

// NoiseQuestion is the line that asks a phone what a package may do. Its answer
// is for ReadNoise.
func NoiseQuestion(name PackageName) string {
	n := string(name)
	return "{ echo " + noiseMark + "any; cmd appops get " + n + " RUN_ANY_IN_BACKGROUND" +
		"; echo " + noiseMark + "in; cmd appops get " + n + " RUN_IN_BACKGROUND" +
		"; echo " + noiseMark + "note; cmd appops get " + n + " POST_NOTIFICATION" +
		"; echo " + noiseMark + "may; dumpsys package " + n + " | grep -F android.permission.POST_NOTIFICATIONS" +
		"; echo " + noiseMark + "exempt; cmd deviceidle whitelist | grep -F ," + n + "," +
		"; echo " + noiseMark + "bucket; am get-standby-bucket " + n + "; } 2>&1"
}

var (
	modeAnswer   = regexp.MustCompile(`\b[A-Z_]{5,}: ([a-z]+)`)
	grantAnswer  = regexp.MustCompile(`android\.permission\.POST_NOTIFICATIONS: granted=(true|false)`)
	exemptAnswer = regexp.MustCompile(`\b(system|user)[a-z-]*,`)
)

// ReadNoise reads the answer to NoiseQuestion, however its words are spaced. It is
// not ok where the phone tells nothing of the background, such as of a package
// that is not there.
func ReadNoise(answer string) (n Noise, ok bool) {
	parts := map[string]string{}
	for _, part := range strings.Split(answer, noiseMark)[1:] {
		words := strings.Fields(part)
		if len(words) > 0 {
			parts[words[0]] = strings.Join(words[1:], " ")
		}
	}
	n.Any, n.In, n.Notify = mode(parts["any"]), mode(parts["in"]), mode(parts["note"])
	if m := grantAnswer.FindStringSubmatch(parts["may"]); m != nil {
		n.Notify = map[string]string{"true": Granted, "false": Revoked}[m[1]]
	}
	for _, m := range exemptAnswer.FindAllStringSubmatch(parts["exempt"], -1) {
		if n.Exempt != "user" {
			n.Exempt = m[1]
		}
	}
	n.Bucket, _ = strconv.Atoi(parts["bucket"])
	return n, n.Any != "" || n.In != ""
}

// mode is that of an answer about an operation: default where nobody set one, ""
// where the phone does not know the operation or the package.
func mode(answer string) string {
	if strings.Contains(answer, "No operations") {
		return "default"
	}
	if m := modeAnswer.FindStringSubmatch(answer); m != nil && slices.Contains(modes, m[1]) {
		return m[1]
	}
	return ""
}

// String writes it as one word of plain signs, for journals and logs: any, in,
// notify, exempt and bucket with commas between, "-" for what is not known.
func (n Noise) String() string {
	parts := []string{n.Any, n.In, n.Notify, n.Exempt, ""}
	if n.Bucket > 0 {
		parts[4] = strconv.Itoa(n.Bucket)
	}
	for i := range parts {
		if parts[i] == "" {
			parts[i] = "-"
		}
	}
	return strings.Join(parts, ",")
}

// ParseNoise reads what String wrote, whoever gave it: nothing is taken that
// could not stand in a command.
func ParseNoise(text string) (n Noise, ok bool) {
	parts := strings.Split(text, ",")
	if len(parts) != 5 {
		return n, false
	}
	for i := range parts {
		if parts[i] == "-" {
			parts[i] = ""
		}
	}
	n = Noise{Any: parts[0], In: parts[1], Notify: parts[2], Exempt: parts[3]}
	if parts[4] != "" {
		var err error
		if n.Bucket, err = strconv.Atoi(parts[4]); err != nil || n.Bucket < 1 || n.Bucket > 100 {
			return Noise{}, false
		}
	}
	known := func(s string, more ...string) bool {
		return s == "" || slices.Contains(modes, s) || slices.Contains(more, s)
	}
	if !known(n.Any) || !known(n.In) || !known(n.Notify, Granted, Revoked) || n.Exempt != "" && n.Exempt != "user" && n.Exempt != "system" || n.String() != text {
		return Noise{}, false
	}
	return n, true
}

func silent(mode string) bool { return mode == "ignore" || mode == "deny" }

// Background reports whether it may work in the background.
func (n Noise) Background() bool {
	if n.Any != "" {
		return !silent(n.Any)
	}
	return !silent(n.In)
}

// Notifies reports whether it may notify.
func (n Noise) Notifies() bool { return n.Notify != "" && n.Notify != Revoked && !silent(n.Notify) }

// Quiet reports whether nothing is left that quietening takes away and a computer
// can take.
func (n Noise) Quiet() bool { return !n.Background() && !n.Notifies() && n.Exempt != "user" }

// Words say what it may still do, "quiet" where that is nothing.
func (n Noise) Words() string {
	var list []string
	if n.Background() {
		list = append(list, "works in the background")
	}
	if n.Notifies() {
		list = append(list, "notifies")
	}
	switch n.Exempt {
	case "user":
		list = append(list, "is left out of what saves the battery")
	case "system":
		list = append(list, "is left out of what saves the battery, by the system itself")
	}
	if len(list) == 0 {
		return "quiet"
	}
	return "still " + strings.Join(list, ", ")
}

// QuietenCommand is the line that quietens a package on a phone of an API level
// and then asks what it may still do: nothing else is touched where the phone
// does not keep it from the background. Its answer holds one for ReadNoise.
func QuietenCommand(name PackageName, sdk int) string {
	list := Quietening(name, sdk)
	for i, command := range list {
		if strings.HasPrefix(command, "pm revoke") { // what never asked for the permission has only the operation
			list[i] = "case $(dumpsys package " + string(name) + " | grep -F android.permission.POST_NOTIFICATIONS:) in *granted=*) " + command +
				";; *) cmd appops set " + string(name) + " POST_NOTIFICATION ignore;; esac"
		}
	}
	return "{ " + list[0] + " && { " + strings.Join(list[1:], "; ") + "; }; " + NoiseQuestion(name) + "; } 2>&1"
}

// Quietening are the commands that quieten a package on a phone of an API level,
// the one first that the rest is nothing without.
func Quietening(name PackageName, sdk int) []string {
	n := string(name)
	list := []string{"cmd appops set " + n + " RUN_IN_BACKGROUND ignore"}
	if sdk >= 28 {
		list = []string{"cmd appops set " + n + " RUN_ANY_IN_BACKGROUND ignore", list[0]}
	}
	if sdk >= 33 {
		list = append(list, "pm revoke "+n+" android.permission.POST_NOTIFICATIONS")
	} else {
		list = append(list, "cmd appops set "+n+" POST_NOTIFICATION ignore")
	}
	list = append(list, "cmd deviceidle whitelist -"+n)
	if sdk >= 30 {
		list = append(list, "am set-standby-bucket "+n+" restricted")
	} else if sdk >= 28 {
		list = append(list, "am set-standby-bucket "+n+" rare")
	}
	return append(list, "am force-stop "+n)
}

// LoudenCommand is the line that gives a package back what it might do before,
// and then asks as QuietenCommand does. What before does not know stays as it is.
func LoudenCommand(name PackageName, before Noise) string {
	line := "{ "
	for _, command := range Loudening(name, before) {
		line += command + "; "
	}
	return line + NoiseQuestion(name) + "; } 2>&1"
}

// Loudening are the commands that give a package back what it might do before.
func Loudening(name PackageName, before Noise) (list []string) {
	n := string(name)
	add := func(command string) { list = append(list, command) }
	if before.Any != "" {
		add("cmd appops set " + n + " RUN_ANY_IN_BACKGROUND " + before.Any)
	}
	if before.In != "" {
		add("cmd appops set " + n + " RUN_IN_BACKGROUND " + before.In)
	}
	switch before.Notify {
	case "", Revoked:
	case Granted:
		add("pm grant " + n + " android.permission.POST_NOTIFICATIONS")
	default:
		add("cmd appops set " + n + " POST_NOTIFICATION " + before.Notify)
	}
	if before.Exempt == "user" {
		add("cmd deviceidle whitelist +" + n)
	}
	if word, ok := buckets[before.Bucket]; ok {
		add("am set-standby-bucket " + n + " " + word)
	}
	return list
}

// Restored reports whether a package may do again what it might before. Its
// standby bucket does not count: the platform moves that by itself.
func (n Noise) Restored(before Noise) bool {
	same := func(now, was string) bool { return was == "" || now == was || was == "default" && now == "allow" }
	return same(n.Any, before.Any) && same(n.In, before.In) && same(n.Notify, before.Notify) && (before.Exempt != "user" || n.Exempt == "user")
}
