package phone

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"slices"
	"strings"
	"syscall"

	"mvdan.cc/sh/v3/expand"
	"mvdan.cc/sh/v3/interp"
	"mvdan.cc/sh/v3/syntax"
)

// shell runs a command line as the phone's shell would; without one it reads
// commands from in until it ends. It returns the exit code. Nothing of it
// reaches this computer: programs are the stand-in's own, files do not exist.
func (p *Phone) shell(ctx context.Context, line string, in io.Reader, out, errs io.Writer) byte {
	if p.scenario.Root == "adbd" && p.givesRoot() {
		ctx = context.WithValue(ctx, asRoot{}, true)
	}
	runner, err := interp.New(
		interp.StdIO(nil, out, errs), // no program here reads, and in holds the commands
		interp.Env(expand.ListEnviron("PATH=/system/bin", "HOME=/", "USER=shell", "ANDROID_ROOT=/system")),
		interp.ExecHandlers(func(interp.ExecHandlerFunc) interp.ExecHandlerFunc { return p.exec }),
		interp.CallHandler(func(_ context.Context, args []string) ([]string, error) {
			if slices.Equal(args, []string{"command", "-v", "su"}) && p.disk != nil && p.scenario.Root == "su" {
				return []string{"echo", "/system/bin/su"}, nil
			}
			return args, nil
		}),
		interp.OpenHandler(p.open),
		interp.StatHandler(p.statFor),
		interp.ReadDirHandler2(func(context.Context, string) ([]fs.DirEntry, error) { return nil, fs.ErrNotExist }),
	)
	if err != nil {
		fmt.Fprintln(errs, "sh:", err)
		return 126
	}
	parser := syntax.NewParser(syntax.Variant(syntax.LangMirBSDKorn))
	if line != "" {
		file, err := parser.Parse(strings.NewReader(line), "")
		if err != nil {
			fmt.Fprintln(errs, "/system/bin/sh: syntax error:", err)
			return 1
		}
		return exitCode(runner.Run(ctx, file))
	}
	var code byte
	for stmts, err := range parser.InteractiveSeq(in) {
		if err != nil {
			fmt.Fprintln(errs, "/system/bin/sh: syntax error:", err)
			return 1
		}
		for _, stmt := range stmts {
			code = exitCode(runner.Run(ctx, stmt))
			if runner.Exited() || ctx.Err() != nil {
				return code
			}
		}
	}
	return code
}

// Ask runs a command line on the phone without adb and returns its standard
// output, as for making saved outputs of it.
func (p *Phone) Ask(ctx context.Context, line string) []byte {
	var out bytes.Buffer
	p.shell(ctx, line, nil, &out, io.Discard)
	return out.Bytes()
}

func exitCode(err error) byte {
	var status interp.ExitStatus
	switch {
	case err == nil:
		return 0
	case errors.As(err, &status):
		return byte(status)
	}
	return 1
}

func openNothing(_ context.Context, name string, flag int, _ fs.FileMode) (io.ReadWriteCloser, error) {
	if name == "/dev/null" {
		return os.OpenFile(os.DevNull, os.O_RDWR, 0)
	}
	if flag&(os.O_WRONLY|os.O_RDWR) != 0 {
		return nil, &fs.PathError{Op: "open", Path: name, Err: syscall.EROFS}
	}
	return nil, &fs.PathError{Op: "open", Path: name, Err: fs.ErrNotExist}
}

// command is one program's call on the phone.
type command struct {
	ctx  context.Context
	args []string // without the program's name
	out  io.Writer
	errs io.Writer
	in   io.Reader // what is piped into it; nil for nothing
}

// with is the same command with other words.
func (c *command) with(args []string) *command {
	next := *c
	next.args = args
	return &next
}

func (c *command) print(format string, a ...any) { fmt.Fprintf(c.out, format, a...) }

// fail prints to standard error and gives the exit code back.
func (c *command) fail(code byte, format string, a ...any) byte {
	fmt.Fprintf(c.errs, format+"\n", a...)
	return code
}

// programs are those of every phone.
var programs map[string]func(*Phone, *command) byte

func init() { // some call the shell, which looks them up
	programs = map[string]func(*Phone, *command) byte{
		"am":           (*Phone).am,
		"cat":          (*Phone).proc,
		"df":           (*Phone).df,
		"input":        (*Phone).input,
		"ps":           (*Phone).ps,
		"timeout":      (*Phone).timeout,
		"getprop":      (*Phone).getprop,
		"grep":         (*Phone).grep,
		"pm":           (*Phone).pm,
		"cmd":          (*Phone).cmd,
		"dumpsys":      (*Phone).dumpsys,
		"settings":     (*Phone).settingsCmd,
		"logcat":       (*Phone).logcat,
		"reboot":       (*Phone).reboot,
		"ime":          (*Phone).ime,
		"locksettings": (*Phone).locksettings,
		"id":           (*Phone).id,
		"stat":         (*Phone).stat,
		"whoami":       func(_ *Phone, c *command) byte { c.print("shell\n"); return 0 },
		"sleep":        sleep,
	}
}

// program finds what a call runs: some programs only root has, and su only a phone
// with root.
func (p *Phone) program(ctx context.Context, name string) (run func(*Phone, *command) byte, ok bool) {
	name = strings.TrimPrefix(name, "/system/bin/")
	switch {
	case p.disk == nil:
	case isRoot(ctx) && rooted[name] != nil:
		return rooted[name], true
	case name == "su" && p.scenario.Root == "su":
		return (*Phone).su, true
	case name == "sh":
		return (*Phone).sh, true
	case name == "getenforce":
		return func(_ *Phone, c *command) byte { c.print("Enforcing\n"); return 0 }, true
	}
	run, ok = programs[name]
	return run, ok
}

// exec is called by the shell for everything that is not built into it.
func (p *Phone) exec(ctx context.Context, args []string) error {
	h := interp.HandlerCtx(ctx)
	run, ok := p.program(ctx, args[0])
	if !ok {
		fmt.Fprintf(h.Stderr, "/system/bin/sh: %s: inaccessible or not found\n", args[0])
		return interp.ExitStatus(127)
	}
	if f, ok := h.Stdout.(*faultyWriter); ok {
		f.begin(strings.Join(args, " "))
	}
	// Programs work on the phone's state under its lock; what they say goes
	// out when they have let go of it, however slow the cable is.
	var out, errs bytes.Buffer
	c := &command{ctx, args[1:], &out, &errs, nil}
	if h.Stdin != nil { // only of pipes: the shell's own input holds the commands
		c.in = h.Stdin
	}
	if p.disk != nil && (args[0] == "su" || args[0] == "sh") {
		// What they run finds its own faults.
		c.out = h.Stdout
		c.errs = h.Stderr
	}
	if strings.HasSuffix(args[0], "logcat") {
		c.out, c.errs = h.Stdout, h.Stderr // it stays and talks
	}
	code := run(p, c)
	h.Stderr.Write(errs.Bytes())
	h.Stdout.Write(out.Bytes())
	if code != 0 {
		return interp.ExitStatus(code)
	}
	return nil
}
