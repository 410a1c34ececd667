package phone

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"strings"
	"syscall"
	"time"

	"mvdan.cc/sh/v3/expand"
	"mvdan.cc/sh/v3/interp"
	"mvdan.cc/sh/v3/syntax"
)

// shell runs a command line as the phone's shell would; without one it reads
// commands from in until it ends. It returns the exit code. Nothing of it
// reaches this computer: programs are the stand-in's own, files do not exist.
func (p *Phone) shell(ctx context.Context, line string, in io.Reader, out, errs io.Writer) byte {
	runner, err := interp.New(
		interp.StdIO(nil, out, errs), // no program here reads, and in holds the commands
		interp.Env(expand.ListEnviron("PATH=/system/bin", "HOME=/", "USER=shell", "ANDROID_ROOT=/system")),
		interp.ExecHandlers(func(interp.ExecHandlerFunc) interp.ExecHandlerFunc { return p.exec }),
		interp.OpenHandler(openNothing),
		interp.StatHandler(func(context.Context, string, bool) (fs.FileInfo, error) { return nil, fs.ErrNotExist }),
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

var programs = map[string]func(*Phone, *command) byte{
	"am":           (*Phone).am,
	"df":           (*Phone).df,
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
	"id": func(_ *Phone, c *command) byte {
		c.print("uid=2000(shell) gid=2000(shell) groups=2000(shell),1004(input) context=u:r:shell:s0\n")
		return 0
	},
	"stat":   (*Phone).stat,
	"whoami": func(_ *Phone, c *command) byte { c.print("shell\n"); return 0 },
	"sleep": func(_ *Phone, c *command) byte {
		d, err := time.ParseDuration(strings.Join(c.args, "") + "s")
		if err != nil {
			return c.fail(1, "sleep: bad time")
		}
		select {
		case <-time.After(d):
		case <-c.ctx.Done():
		}
		return 0
	},
}

// exec is called by the shell for everything that is not built into it.
func (p *Phone) exec(ctx context.Context, args []string) error {
	h := interp.HandlerCtx(ctx)
	run, ok := programs[strings.TrimPrefix(args[0], "/system/bin/")]
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
