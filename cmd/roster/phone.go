package main

import (
	"bufio"
	"fmt"
	"io"
	"net"
	"os"
	"path/filepath"
	"strings"

	"github.com/spf13/cobra"

	"roster/demo"
	"roster/phone"
)

func phoneCommand() *cobra.Command {
	var listen, scenario string
	c := &cobra.Command{
		Use:   "phone",
		Short: "Run a stand-in phone that adb can connect to",
		Long: `Runs a simulated phone that speaks adb's protocol. What it has and how it behaves
is told by a scenario file; the sample world's are named by their file alone.

While it runs, a line on standard input does what a hand would do:
accept, refuse, unplug, plug, restart.`,
		Example: "  roster phone --listen 127.0.0.1:5701 --scenario phones/lyra-5-desk.yaml\n  adb connect 127.0.0.1:5701",
		Args:    noArgs,
		RunE: func(c *cobra.Command, _ []string) error {
			fsys, file := demo.World, scenario
			if _, err := os.Stat(scenario); err == nil {
				fsys, file = os.DirFS(filepath.Dir(scenario)), filepath.Base(scenario)
			}
			s, err := phone.Load(fsys, file)
			if err != nil {
				return err
			}
			p := phone.New(s, logger())
			ln, err := net.Listen("tcp", listen)
			if err != nil {
				return err
			}
			fmt.Fprintf(c.OutOrStdout(), "%s listens; attach it with: adb connect %s\n", s.Name, ln.Addr())
			go control(p, c.InOrStdin(), c.OutOrStdout())
			return p.Serve(c.Context(), ln)
		},
	}
	c.Flags().StringVar(&listen, "listen", "127.0.0.1:5701", "address to listen on")
	c.Flags().StringVar(&scenario, "scenario", "phones/lyra-5-desk.yaml", "scenario file")
	return c
}

// control does to the phone what lines of in say.
func control(p *phone.Phone, in io.Reader, out io.Writer) {
	lines := bufio.NewScanner(in)
	for lines.Scan() {
		switch word := strings.TrimSpace(lines.Text()); word {
		case "accept":
			fmt.Fprintf(out, "accepted: %d waited\n", p.Accept())
		case "refuse":
			fmt.Fprintf(out, "refused: %d waited\n", p.Refuse())
		case "unplug":
			p.Unplug()
		case "plug":
			p.Plug()
		case "restart":
			p.Restart()
		case "":
		default:
			fmt.Fprintf(out, "%q is not one of accept, refuse, unplug, plug, restart\n", word)
		}
	}
}
