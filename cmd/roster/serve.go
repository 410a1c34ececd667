package main

import (
	"cmp"
	"context"
	"encoding/json"
	"fmt"
	"net"
	"net/http"
	"os"
	"runtime/debug"
	"strings"
	"time"

	"github.com/coreos/go-systemd/v22/daemon"
	"github.com/spf13/cobra"

	"roster/bench"
	"roster/demo"
	"roster/server"
	"roster/server/webhook"
	"roster/store"
)

// settings are what serve and demo are told.
type settings struct {
	listen, metrics, traces, database, direct, adb, adbProgram, secret, public, proxies, webhooks, backups, readyFile, replicas string

	connections int
	provider    server.Provider
	noReports   bool
	standIns    []string
	loosePhones []string
	hands       []bench.HandAt
	loose       []bench.HandAt
}

func (s *settings) flags(c *cobra.Command) {
	f := c.Flags()
	setListen.flag(f, &s.listen)
	setMetrics.flag(f, &s.metrics)
	setTraces.flag(f, &s.traces)
	setProxies.flag(f, &s.proxies)
	f.IntVar(&s.connections, setConnections.name, setConnections.number(), setConnections.use())
	setPublic.flag(f, &s.public)
	setIssuer.flag(f, &s.provider.Issuer)
	setClientID.flag(f, &s.provider.ClientID)
	setClientSecret.flag(f, &s.provider.ClientSecret)
	setProviderName.flag(f, &s.provider.Name)
	f.StringSliceVar(&s.provider.Scopes, setScopes.name, strings.Split(setScopes.text(), ","), setScopes.use())
	setGroupsClaim.flag(f, &s.provider.GroupsClaim)
	f.BoolVar(&s.noReports, setNoReports.name, setNoReports.on(), setNoReports.use())
	setDatabase.flag(f, &s.database)
	setDirect.flag(f, &s.direct)
	setReplicas.flag(f, &s.replicas)
	setADB.flag(f, &s.adb)
	setADBProgram.flag(f, &s.adbProgram)
	setBackups.flag(f, &s.backups)
	setWebhooks.flag(f, &s.webhooks)
	setReadyFile.flag(f, &s.readyFile)
	setSecretFile.flag(f, &s.secret)
	f.StringArrayVar(&s.standIns, "stand-in", nil, "a stand-in phone: ADB-ADDRESS=HAND-ADDRESS, as roster phone prints them")
}

func serveCommand() *cobra.Command {
	var s settings
	c := &cobra.Command{
		Use:     "serve",
		Short:   "Serve the workbench, the API and the public pages",
		Example: "  ROSTER_DATABASE_URL=postgres://roster@127.0.0.1/roster roster serve",
		Args:    noArgs,
		RunE: func(c *cobra.Command, _ []string) error {
			return s.serve(c.Context(), nil)
		},
	}
	s.flags(c)
	return c
}

// sample is what demo adds to serving: sign-ins to be shown, and what is done
// first with the database brought up to date.
type sample struct {
	signIns []server.DemoSignIn
	prepare func(context.Context, *store.Store, server.Secret) error
	// welcome is called once it serves, with the server's address.
	welcome func(address string)
}

// serve runs a server until ctx ends. The sample world is nil for a real one.
func (s *settings) serve(ctx context.Context, world *sample) error {
	// A server mostly waits for its database: it may collect more often than
	// Go's own measure, and takes less memory for that.
	if os.Getenv("GOGC") == "" {
		debug.SetGCPercent(50)
	}
	if os.Getenv("GOMEMLIMIT") == "" {
		debug.SetMemoryLimit(enoughMemory)
	}
	go giveBack(ctx)
	if s.database == "" {
		return noDatabase()
	}
	log := logger()
	hands, err := parseHands(s.standIns)
	if err != nil {
		return usageError{err}
	}
	proxies, err := server.ParseProxies(s.proxies)
	if err != nil {
		return usageError{fmt.Errorf("--trusted-proxies: %w", err)}
	}
	receivers, err := server.ParseProxies(s.webhooks)
	if err != nil {
		return usageError{fmt.Errorf("--webhook-networks: %w", err)}
	}
	if s.provider.Issuer == "" {
		s.provider.Name = ""
	}
	if err := s.provider.Check(); err != nil {
		return usageError{err}
	}
	if s.connections < 2 {
		return usageError{fmt.Errorf("--database-connections %d: want 2 or more", s.connections)}
	}
	secret, err := server.ReadSecret(s.secret)
	if err != nil {
		return err
	}
	told, endTraces, err := traces(ctx, s.traces, log)
	if err != nil {
		return usageError{err}
	}
	defer endTraces()
	st, err := store.NewWith(ctx, s.database, store.Options{
		Connections: s.connections, Direct: s.direct, Replicas: s.replicas, Log: log, Traces: told,
	})
	if err != nil {
		return err
	}
	defer st.Close()
	if world != nil {
		if err := st.Migrate(ctx); err != nil {
			return fmt.Errorf("the database can't be brought up to date: %w", err)
		}
		if err := world.prepare(ctx, st, secret); err != nil {
			return err
		}
	}
	ln, err := s.listener(world != nil)
	if err != nil {
		return err
	}
	address := s.address(ln)
	config := server.Config{
		Store:          st,
		Secret:         secret,
		Log:            log,
		Traces:         told,
		ADB:            s.adb,
		ADBProgram:     s.adbProgram,
		StandIns:       append(hands, s.hands...),
		Loose:          s.loose,
		NoReports:      s.noReports,
		Version:        version,
		Backups:        s.backups,
		PublicURL:      s.publicURL(address),
		TrustedProxies: proxies,
		Provider:       s.provider,
		Webhooks:       webhook.Sender{Networks: receivers},
	}
	if world != nil {
		config.Demo = world.signIns
	} else {
		config.Sample = func(ctx context.Context) error { return demo.Fill(ctx, sampleOf(st, secret, nobodys)) }
	}
	srv := server.New(config)
	if err := s.serveMetrics(ctx, srv.Metrics()); err != nil {
		srv.Close()
		return err
	}
	h := srv.HTTP()
	log.Info("serving", "address", "http://"+address)
	failed := make(chan error, 1)
	go func() { failed <- h.Serve(srv.Listen(ln)) }()
	if err := s.tellReady(address); err != nil {
		log.Warn("that it serves can't be written down", "err", err)
	}
	if world != nil {
		world.welcome(address)
	}
	if err := tellSystemd(ctx, address); err != nil {
		log.Warn("systemd can't be told that it serves", "err", err)
	}
	select {
	case err := <-failed:
		srv.Close()
		return err
	case <-ctx.Done():
	}
	log.Info("stopping")
	_, _ = daemon.SdNotify(false, daemon.SdNotifyStopping)
	end, cancel := context.WithTimeout(context.WithoutCancel(ctx), 10*time.Second)
	defer cancel()
	srv.Close() // ends event streams, which Shutdown would wait for
	return h.Shutdown(end)
}

// serveMetrics serves this process's figures until ctx ends, where anybody asked
// for that.
func (s *settings) serveMetrics(ctx context.Context, figures http.Handler) error {
	if s.metrics == "" {
		return nil
	}
	ln, err := listenOn(s.metrics)
	if err != nil {
		return fmt.Errorf("metrics: %w", err)
	}
	h := &http.Server{Handler: figures, ReadHeaderTimeout: 10 * time.Second, WriteTimeout: time.Minute}
	go h.Serve(ln)
	context.AfterFunc(ctx, func() { h.Close() })
	return nil
}

// tellSystemd tells the system's manager, where it started this process, that
// it serves, and from then on every now and then that it still does: one that
// hangs is started anew.
func tellSystemd(ctx context.Context, address string) error {
	if _, err := daemon.SdNotify(false, daemon.SdNotifyReady+"\nSTATUS=serves http://"+address); err != nil {
		return err
	}
	every, err := daemon.SdWatchdogEnabled(false)
	if err != nil || every == 0 {
		return err
	}
	go func() {
		client := &http.Client{Timeout: every / 2}
		tick := time.NewTicker(every / 3)
		defer tick.Stop()
		for ctx.Err() == nil {
			if answer, err := client.Get("http://" + address + "/healthz"); err == nil {
				answer.Body.Close()
				_, _ = daemon.SdNotify(false, daemon.SdNotifyWatchdog)
			}
			select {
			case <-tick.C:
			case <-ctx.Done():
			}
		}
	}()
	return nil
}

// listener listens where it was told to. The sample world moves on where that
// is taken: whoever tries it out has other things to do than to look for ports.
func (s *settings) listener(movesOn bool) (net.Listener, error) {
	if !movesOn {
		ln, err := listenOn(s.listen)
		if err != nil {
			return nil, fmt.Errorf("%w; choose another address with --listen", err)
		}
		return ln, nil
	}
	ln, taken, err := listenFrom(s.listen)
	if err == nil && taken != "" {
		fmt.Fprintf(os.Stderr, "%s; Roster takes %s instead\n", taken, ln.Addr())
	}
	return ln, err
}

// address is where the server is reached: the host that it was told, and the
// port that it got.
func (s *settings) address(ln net.Listener) string {
	host, _, _ := net.SplitHostPort(s.listen)
	gotHost, port, _ := net.SplitHostPort(ln.Addr().String())
	return net.JoinHostPort(cmp.Or(host, gotHost), port)
}

// ready is what a ready file tells.
type ready struct {
	URL string `json:"url"`
	// StandIns are the sample's phones: where adb reaches each, and its hand.
	StandIns []bench.HandAt `json:"standIns"`
	// Loose are those that hang on no computer, for browsers.
	Loose []bench.HandAt `json:"loose"`
}

// tellReady writes the ready file, whole or not at all.
func (s *settings) tellReady(address string) error {
	if s.readyFile == "" {
		return nil
	}
	raw, err := json.Marshal(ready{URL: "http://" + address, StandIns: s.hands, Loose: s.loose})
	if err != nil {
		return err
	}
	part := s.readyFile + ".part"
	if err := os.WriteFile(part, append(raw, '\n'), 0o600); err != nil {
		return err
	}
	return os.Rename(part, s.readyFile)
}

// publicURL is where people reach the installation; where nobody said, the
// address that it listens on.
func (s *settings) publicURL(address string) string {
	if s.public != "" {
		return strings.TrimRight(s.public, "/")
	}
	return "http://" + address
}
