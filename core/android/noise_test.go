package android

import (
	"strings"
	"testing"
)

// answered is an answer to NoiseQuestion, with what each part says.
func answered(any, in, note, may, exempt, bucket string) string {
	return "--noise-any\n" + any + "\n--noise-in\n" + in + "\n--noise-note\n" + note +
		"\n--noise-may\n" + may + "\n--noise-exempt\n" + exempt + "\n--noise-bucket\n" + bucket + "\n"
}

func TestReadNoise(t *testing.T) {
	const (
		asked   = "android.permission.POST_NOTIFICATIONS"
		granted = asked + "\n        " + asked + ": granted=true, flags=[ USER_SET]"
		revoked = "  " + asked + ": granted=false, flags=[ USER_SET]"
	)
	for what, c := range map[string]struct {
		answer, text, words string
		quiet               bool
	}{
		"as it came": {answered("No operations.\nDefault mode: allow", "No operations.\nDefault mode: allow", "No operations.", granted, "", "10"),
			"default,default,granted,-,10", "still works in the background, notifies", false},
		"quiet": {answered("RUN_ANY_IN_BACKGROUND: ignore", "RUN_IN_BACKGROUND: ignore; rejectTime=+3m2s", "No operations.", revoked, "", "45"),
			"ignore,ignore,revoked,-,45", "quiet", true},
		"an older phone": {answered("Error: Unknown operation string: RUN_ANY_IN_BACKGROUND", "RUN_IN_BACKGROUND: ignore",
			"POST_NOTIFICATION: ignore", "", "", "Error: unknown command 'get-standby-bucket'"),
			"-,ignore,ignore,-,-", "quiet", true},
		"an exception of its owner's": {answered("Uid mode: RUN_ANY_IN_BACKGROUND: deny", "RUN_IN_BACKGROUND: allow",
			"No operations.", revoked, "user,com.a.b,10077", "5"), "deny,allow,revoked,user,5", "still is left out of what saves the battery", false},
		"of the system's, too": {answered("RUN_ANY_IN_BACKGROUND: ignore", "RUN_IN_BACKGROUND: ignore",
			"POST_NOTIFICATION: deny", "", "system-excidle,com.a.b,10077\nuser,com.a.b,10077", "5"),
			"ignore,ignore,deny,user,5", "still is left out of what saves the battery", false},
		"the system's alone": {answered("RUN_ANY_IN_BACKGROUND: ignore", "RUN_IN_BACKGROUND: ignore", "", "", "system-excidle,com.a.b,10077", "5"),
			"ignore,ignore,-,system,5", "still is left out of what saves the battery, by the system itself", true},
	} {
		for _, answer := range []string{c.answer, strings.Join(strings.Fields(c.answer), " "), strings.ReplaceAll(c.answer, "\n", "\r\n")} {
			n, ok := ReadNoise(answer)
			if !ok || n.String() != c.text || n.Words() != c.words || n.Quiet() != c.quiet {
				t.Errorf("%s: %s %q quiet %t, %t", what, n, n.Words(), n.Quiet(), ok)
			}
		}
		if n, ok := ParseNoise(c.text); !ok || n.String() != c.text {
			t.Errorf("%s: %q is not read", what, c.text)
		}
	}
	for _, bad := range []string{"", "cmd: Can't find service: appops",
		answered("Error: No UID for com.a.b in user 0", "Error: No UID for com.a.b in user 0", "", "", "", "50")} {
		if n, ok := ReadNoise(bad); ok {
			t.Errorf("%q is read as %s", bad, n)
		}
	}
	for _, bad := range []string{"", "-", "allow,allow,granted,-,10;reboot", "allow,allow,granted,-,$(reboot)",
		"allow,allow,granted,all,10", "x,allow,granted,-,10", "granted,allow,allow,-,10", "allow,allow,granted,-,-1", "allow,allow,granted,-,010", "a,b,c,d,e,f"} {
		if n, ok := ParseNoise(bad); ok {
			t.Errorf("%q is taken as %s", bad, n)
		}
	}
}

func TestQuietening(t *testing.T) {
	for sdk, want := range map[int]string{
		26: "cmd appops set com.a.b RUN_IN_BACKGROUND ignore|cmd appops set com.a.b POST_NOTIFICATION ignore|cmd deviceidle whitelist -com.a.b|am force-stop com.a.b",
		29: "cmd appops set com.a.b RUN_ANY_IN_BACKGROUND ignore|cmd appops set com.a.b RUN_IN_BACKGROUND ignore|" +
			"cmd appops set com.a.b POST_NOTIFICATION ignore|cmd deviceidle whitelist -com.a.b|am set-standby-bucket com.a.b rare|am force-stop com.a.b",
		34: "cmd appops set com.a.b RUN_ANY_IN_BACKGROUND ignore|cmd appops set com.a.b RUN_IN_BACKGROUND ignore|" +
			"pm revoke com.a.b android.permission.POST_NOTIFICATIONS|cmd deviceidle whitelist -com.a.b|am set-standby-bucket com.a.b restricted|am force-stop com.a.b",
	} {
		if got := strings.Join(Quietening("com.a.b", sdk), "|"); got != want {
			t.Errorf("%d: %s", sdk, got)
		}
	}
	before, _ := ParseNoise("default,allow,granted,user,40")
	const louder = "cmd appops set com.a.b RUN_ANY_IN_BACKGROUND default|cmd appops set com.a.b RUN_IN_BACKGROUND allow|" +
		"pm grant com.a.b android.permission.POST_NOTIFICATIONS|cmd deviceidle whitelist +com.a.b|am set-standby-bucket com.a.b rare"
	if got := strings.Join(Loudening("com.a.b", before), "|"); got != louder {
		t.Error(got)
	}
	for text, same := range map[string]bool{"default,allow,granted,user,10": true, "allow,allow,granted,user,5": true,
		"ignore,allow,granted,user,40": false, "default,allow,revoked,user,40": false, "default,allow,granted,-,40": false} {
		if now, _ := ParseNoise(text); now.Restored(before) != same {
			t.Errorf("%s: %t", text, !same)
		}
	}
}
