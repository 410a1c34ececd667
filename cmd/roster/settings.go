package main

import (
	"cmp"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"net/url"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"strings"

	"github.com/spf13/pflag"
	"go.yaml.in/yaml/v3"

	"roster/bench/adb"
	"roster/store"
)

// A setting is something that whoever runs Roster can say: by a flag, in the
// environment or in the settings file. The first of them that says it counts.
type setting struct {
	// name is that of the flag, and the key in the settings file.
	name string
	// env is the variable's name.
	env      string
	fallback string
	// shown is the default in words, where the value depends on the machine.
	shown string
	help  string
	// hidden says that the value is a secret.
	hidden bool
}

// What can be set. Docs and help are made from this table; see settingsTable.
var (
	setListen = setting{name: "listen", env: "ROSTER_LISTEN", fallback: "127.0.0.1:8420", help: "address to serve on; port 0 takes a free one"}
	setPublic = setting{
		name: "public-url", env: "ROSTER_PUBLIC_URL", shown: "`http://` and where it serves",
		help: "where people reach it from outside, such as https://roster.example: scripts, QR codes and " +
			"feeds say so; with https, cookies are sent over nothing else",
	}
	setDatabase = setting{
		name: "database", env: "ROSTER_DATABASE_URL",
		help: "address of the PostgreSQL database (13 or newer), such as postgres:///roster?host=/run/postgresql; migrations run by themselves",
	}
	setDirect = setting{
		name: "database-direct", env: "ROSTER_DATABASE_DIRECT_URL",
		help: "address of the database itself, where the other leads to a pooler that lends connections for a transaction " +
			"at a time: what listens or takes long asks there, and so does every command but serve",
	}
	setReplicas = setting{
		name: "database-read", env: "ROSTER_DATABASE_READ_URL",
		help: "address of replicas of that database, each a host in it (postgres://one,two/roster), which take reads that may lag: " +
			"public pages, Ledger, Dossier, search; never behind what somebody has written or this server has heard of",
	}
	setConnections = setting{
		name: "database-connections", env: "ROSTER_DATABASE_CONNECTIONS", fallback: strconv.Itoa(store.DefaultOptions().Connections), shown: "4 a processor and 2",
		help: "most connections to the database at once; two more listen, and ask whether it is well",
	}
	setADB = setting{
		name: "adb", env: "ROSTER_ADB", fallback: adb.DefaultAddress,
		help: "address of the adb server, started where none answers; localfilesystem:PATH for a socket; empty for a server without phones",
	}
	setADBProgram = setting{name: "adb-program", env: "ROSTER_ADB_PROGRAM", fallback: "adb", help: "program that starts an adb server where none answers"}
	setSecretFile = setting{
		name: "secret-file", env: "ROSTER_SECRET_FILE", fallback: configFile("secret"), shown: "`~/.config/roster/secret`",
		help: "file with the installation's secret, made when absent; signing keys do not open without it, and roster backup saves it",
	}
	setBackups = setting{
		name: "backups", env: "ROSTER_BACKUPS", fallback: stateFolder("backups"), shown: "`~/.local/state/roster/backups`",
		help: "folder for what is saved of phones attached to this computer, and for the package files that are put in on them",
	}
	setJournals = setting{
		name: "journals", env: "ROSTER_JOURNALS", fallback: stateFolder("journals"), shown: "`~/.local/state/roster/journals`",
		help: "folder in which a bench elsewhere writes down its runs",
	}
	setNoReports = setting{name: "no-reports", env: "ROSTER_NO_REPORTS", fallback: "false", help: "strangers can't tell what happened with a release"}
	setProxies   = setting{
		name: "trusted-proxies", env: "ROSTER_TRUSTED_PROXIES",
		help: "addresses and networks of proxies whose X-Forwarded-For and X-Forwarded-Proto count, separated by commas",
	}
	setIssuer = setting{
		name: "oidc-issuer", env: "ROSTER_OIDC_ISSUER",
		help: "address of an OpenID Connect provider by which people sign in, too; it sends them back to /sign-in/done below the public address",
	}
	setClientID     = setting{name: "oidc-client-id", env: "ROSTER_OIDC_CLIENT_ID", help: "as what the provider knows this installation"}
	setClientSecret = setting{name: "oidc-client-secret", env: "ROSTER_OIDC_CLIENT_SECRET", hidden: true, help: "the secret that goes with it"}
	setProviderName = setting{name: "oidc-name", env: "ROSTER_OIDC_NAME", fallback: "your organisation", help: "what people call the provider, on the button"}
	setScopes       = setting{
		name: "oidc-scopes", env: "ROSTER_OIDC_SCOPES", fallback: "profile,email",
		help: "what is asked of the provider beside openid, separated by commas",
	}
	setGroupsClaim = setting{
		name: "oidc-groups-claim", env: "ROSTER_OIDC_GROUPS_CLAIM", fallback: "groups",
		help: "where the provider tells somebody's groups; the keeper says which have which role",
	}
	setWebhooks = setting{
		name: "webhook-networks", env: "ROSTER_WEBHOOK_NETWORKS",
		help: "networks of one's own, separated by commas, in which receivers of webhooks may be, over plain http " +
			"too; others are reached at public addresses over https alone",
	}
	setMetrics = setting{
		name: "metrics-listen", env: "ROSTER_METRICS_LISTEN",
		help: "address to serve figures for Prometheus on, such as 127.0.0.1:8421; empty for none",
	}
	setTraces = setting{
		name: "traces", env: "ROSTER_TRACES",
		help: "address of a collector that is told how long each request and statement takes (OpenTelemetry, OTLP over " +
			"HTTP), such as http://127.0.0.1:4318; empty for none",
	}
	setReadyFile = setting{name: "ready-file", env: "ROSTER_READY_FILE", help: "file that is written once it serves, with the address, as JSON"}
	setLog       = setting{
		name: "log", env: "ROSTER_LOG", fallback: "info",
		help: "how much is logged, and how: info or debug, json for machines, or both as in debug,json",
	}

	setServer = setting{
		name: "server", env: "ROSTER_SERVER",
		help: "address of the Roster server that a bench elsewhere offers its phones to, and that roster send and roster bench run ask",
	}
	setBenchToken = setting{
		name: "bench-token", env: "ROSTER_BENCH_TOKEN", hidden: true,
		help: "the token of a bench elsewhere, made on the Bench page (the flag of roster bench is --token)",
	}
	setToken = setting{
		name: "token", env: "ROSTER_TOKEN", hidden: true,
		help: "your own token, made on your page, for roster send and roster bench run; better in the environment than on the line",
	}
)

// settingsTable lists all settings in the order in which they are shown.
var settingsTable = []setting{
	setListen, setPublic, setDatabase, setDirect, setReplicas, setConnections, setADB, setADBProgram, setSecretFile, setBackups, setJournals,
	setNoReports, setProxies, setIssuer, setClientID, setClientSecret, setProviderName, setScopes, setGroupsClaim, setWebhooks,
	setMetrics, setTraces, setReadyFile, setLog, setServer, setBenchToken, setToken,
}

// defaultSettingsFile is read where ROSTER_CONFIG names no other.
const defaultSettingsFile = "/etc/roster/roster.yaml"

// settingsFile is what a settings file says.
type settingsFile struct {
	path   string
	values map[string]string
	// withheld says that there is one which this user may not read. Most
	// commands can do without.
	withheld bool
}

// fromFile is the settings file of this process; root reads it.
var fromFile settingsFile

// settingsPath is where the settings file is; "" for none.
func settingsPath() string {
	if path, set := os.LookupEnv("ROSTER_CONFIG"); set {
		return path
	}
	return defaultSettingsFile
}

// readSettings reads a settings file: YAML with a key for each setting. There
// need not be one at the default path.
func readSettings(path string) (settingsFile, error) {
	file := settingsFile{path: path}
	if path == "" {
		return file, nil
	}
	raw, err := os.ReadFile(path)
	if path == defaultSettingsFile {
		if file.withheld = errors.Is(err, fs.ErrPermission); file.withheld || errors.Is(err, fs.ErrNotExist) {
			return file, nil
		}
	}
	if err != nil {
		return file, fmt.Errorf("the settings: %w", err)
	}
	file.values, err = parseSettings(raw)
	if err != nil {
		return file, fmt.Errorf("%s: %w", path, err)
	}
	return file, nil
}

func parseSettings(raw []byte) (map[string]string, error) {
	var document yaml.Node
	if err := yaml.Unmarshal(raw, &document); err != nil {
		return nil, err
	}
	values := map[string]string{}
	if len(document.Content) == 0 { // comments alone
		return values, nil
	}
	top := document.Content[0]
	if top.Kind != yaml.MappingNode {
		return nil, fmt.Errorf("line %d: want lines such as `listen: 127.0.0.1:8420`", top.Line)
	}
	for i := 0; i+1 < len(top.Content); i += 2 {
		key, value := top.Content[i], top.Content[i+1]
		if !slices.ContainsFunc(settingsTable, func(s setting) bool { return s.name == key.Value }) {
			return nil, fmt.Errorf("line %d: there is no setting %q; roster settings lists them", key.Line, key.Value)
		}
		if _, twice := values[key.Value]; twice {
			return nil, fmt.Errorf("line %d: %s is set twice", key.Line, key.Value)
		}
		text, err := scalar(value)
		if err != nil {
			return nil, fmt.Errorf("line %d: %s: %w", value.Line, key.Value, err)
		}
		values[key.Value] = text
	}
	return values, nil
}

// scalar is the text of a value, or of a list's values with commas between.
func scalar(n *yaml.Node) (string, error) {
	if n.Kind == yaml.ScalarNode {
		if n.Tag == "!!null" {
			return "", nil
		}
		return n.Value, nil
	}
	if n.Kind != yaml.SequenceNode {
		return "", errors.New("want one value, or a list of such")
	}
	list := make([]string, len(n.Content))
	for i, one := range n.Content {
		if one.Kind != yaml.ScalarNode {
			return "", errors.New("want a list of plain values")
		}
		list[i] = one.Value
	}
	return strings.Join(list, ","), nil
}

// value is what the environment, the settings file or else the default says,
// and which of them it was.
func (s setting) value() (value, from string) {
	if v, set := os.LookupEnv(s.env); set {
		return v, s.env
	}
	if v, set := fromFile.values[s.name]; set {
		return v, fromFile.path
	}
	return s.fallback, "default"
}

func (s setting) text() string { v, _ := s.value(); return v }

// number is the value of a setting that is one; -1 stands for no number, which
// is refused where flags are looked at.
func (s setting) number() int {
	n, err := strconv.Atoi(s.text())
	if err != nil {
		return -1
	}
	return n
}

// on is the value of a setting that is yes or no: any text that is not a kind
// of no is yes.
func (s setting) on() bool {
	b, err := strconv.ParseBool(strings.ToLower(s.text()))
	return err != nil && !slices.Contains([]string{"", "no", "off"}, strings.ToLower(s.text())) || b
}

// use is what help says of a flag.
func (s setting) use() string { return s.help + " (" + s.env + ")" }

// flag makes the flag of a setting. Its help shows the default, never what is
// set: that may be a secret.
func (s setting) flag(f *pflag.FlagSet, into *string) { s.flagNamed(f, s.name, into) }

// flagDatabase makes the flag that names the database for a command that does
// something once: it asks no pooler, unless it is told to.
func flagDatabase(f *pflag.FlagSet, into *string) {
	setDatabase.flag(f, into)
	*into = cmp.Or(setDirect.text(), *into)
}

// flagNamed is flag where a command calls it otherwise.
func (s setting) flagNamed(f *pflag.FlagSet, name string, into *string) {
	f.StringVar(into, name, s.text(), s.use())
	f.Lookup(name).DefValue = s.fallback
}

// writeSettings shows all settings: what each is, and where it comes from.
func writeSettings(w io.Writer) {
	for _, s := range settingsTable {
		value, from := s.value()
		fmt.Fprintf(w, "%s\t%s\t%s\n", s.name, cmp.Or(s.masked(value), "-"), from)
	}
}

// masked is a value as it may be shown.
func (s setting) masked(value string) string {
	if value == "" || !s.hidden && !slices.Contains([]string{setDatabase.name, setDirect.name, setReplicas.name}, s.name) {
		return value
	}
	if u, err := url.Parse(value); err == nil && !s.hidden && u.Scheme != "" {
		return u.Redacted()
	}
	return "(set)"
}

// writeSettingsMarkdown is the table of docs/settings.md.
func writeSettingsMarkdown(w io.Writer) {
	fmt.Fprintln(w, "| key in the file, and flag | in the environment | default | |\n| --- | --- | --- | --- |")
	for _, s := range settingsTable {
		shown := s.shown
		if shown == "" && s.fallback != "" {
			shown = "`" + s.fallback + "`"
		}
		fmt.Fprintf(w, "| `%s` | `%s` | %s | %s |\n", s.name, s.env, shown, s.help)
	}
}

// configFile is where this user's programs keep settings.
func configFile(name string) string {
	base, err := os.UserConfigDir()
	if err != nil {
		base = "."
	}
	return filepath.Join(base, "roster", name)
}

// stateFolder is where this user's programs keep what they make, by the XDG
// base directory specification.
func stateFolder(name string) string {
	base := os.Getenv("XDG_STATE_HOME")
	if base == "" {
		home, err := os.UserHomeDir()
		if err != nil {
			home = "."
		}
		base = filepath.Join(home, ".local", "state")
	}
	return filepath.Join(base, "roster", name)
}
