package main

import (
	"bytes"
	"os"
	"strings"
	"testing"
)

func TestSettingsComeFromFlagEnvironmentOrFile(t *testing.T) {
	t.Setenv("ROSTER_CONFIG", file(t, "roster.yaml", "# an installation\nlisten: 127.0.0.1:9000\nadb:\n"+
		"trusted-proxies: [192.0.2.7, 10.0.0.0/8]\nno-reports: yes\ndatabase: postgres://roster:hunter2@db/roster\n"))
	t.Setenv("ROSTER_LISTEN", "127.0.0.1:9001")
	t.Setenv("ROSTER_TOKEN", "roster-secret")
	os.Unsetenv("ROSTER_DATABASE_URL")
	out, _, err := call(t, "", "settings")
	if err != nil {
		t.Fatal(err)
	}
	rows := map[string][]string{}
	for line := range strings.Lines(out) {
		if f := strings.Fields(line); len(f) == 3 {
			rows[f[0]] = f[1:]
		}
	}
	for name, want := range map[string]string{
		"listen":          "127.0.0.1:9001 ROSTER_LISTEN",
		"adb":             "- " + os.Getenv("ROSTER_CONFIG"), // emptied, not left out
		"trusted-proxies": "192.0.2.7,10.0.0.0/8 " + os.Getenv("ROSTER_CONFIG"),
		"adb-program":     "adb default",
	} {
		if got := strings.Join(rows[name], " "); got != want {
			t.Errorf("%s is %q, want %q", name, got, want)
		}
	}
	if strings.Contains(out, "hunter2") || strings.Contains(out, "roster-secret") {
		t.Errorf("secrets are shown:\n%s", out)
	}
	for _, command := range []string{"serve", "send"} {
		if help, _, err := call(t, "", command, "--help"); err != nil || strings.Contains(help, "hunter2") || strings.Contains(help, "roster-secret") {
			t.Errorf("%s --help, %v:\n%s", command, err, help)
		}
	}
	if !setNoReports.on() {
		t.Error("no-reports: yes is not heard")
	}
}

func TestBadSettingsFileIsToldWithItsPlace(t *testing.T) {
	for text, want := range map[string]string{
		"listen: 127.0.0.1:1\nlisten: 127.0.0.1:2\n": "line 2: listen is set twice",
		"\nlissten: here\n":                          `line 2: there is no setting "lissten"`,
		"listen: {a: b}\n":                           "line 1: listen: want one value",
		"- listen\n":                                 "line 1: want lines such as",
		"listen: [\n":                                "line 1",
	} {
		t.Setenv("ROSTER_CONFIG", file(t, "roster.yaml", text))
		if _, _, err := call(t, "", "version"); !isUsage(err) || !strings.Contains(err.Error(), want) || !strings.Contains(err.Error(), "roster.yaml") {
			t.Errorf("%q: %v, want %q", text, err, want)
		}
	}
	t.Setenv("ROSTER_CONFIG", "/no/such/file")
	if _, _, err := call(t, "", "version"); !isUsage(err) {
		t.Errorf("a file that is not there: %v", err)
	}
}

// TestSettingsAreDocumented holds docs/settings.md to the program;
// scripts/api writes it.
func TestSettingsAreDocumented(t *testing.T) {
	raw, err := os.ReadFile("../../docs/settings.md")
	if err != nil {
		t.Fatal(err)
	}
	var table bytes.Buffer
	writeSettingsMarkdown(&table)
	if !strings.Contains(string(raw), table.String()) {
		t.Errorf("docs/settings.md does not have this table; run scripts/api\n%s", &table)
	}
}
