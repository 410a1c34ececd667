// Command adb is to the exported batch files what adb.exe is, under Wine: it
// does of adb what they use, through the adb server that ADB_SERVER names, with
// the phone that ANDROID_SERIAL names. It is for tests alone.
package main

import (
	"context"
	"fmt"
	"io"
	"os"
	"strings"

	"roster/bench/adb"
)

func main() {
	if err := do(os.Args[1:]); err != nil {
		fmt.Fprintln(os.Stderr, "error:", err)
		os.Exit(1)
	}
}

func do(args []string) error {
	ctx, client, serial := context.Background(), &adb.Client{Address: os.Getenv("ADB_SERVER")}, os.Getenv("ANDROID_SERIAL")
	if len(args) > 1 && args[0] == "-s" {
		serial, args = args[1], args[2:]
	}
	switch {
	case len(args) == 1 && args[0] == "get-state":
		devices, err := client.Devices(ctx)
		if err != nil {
			return err
		}
		for _, d := range devices {
			if d.Serial == serial && d.State == "device" {
				fmt.Println("device")
				return nil
			}
		}
		return fmt.Errorf("device '%s' not found", serial)
	case len(args) > 1 && args[0] == "shell":
		stream, err := client.Dial(ctx, serial, "exec:"+strings.Join(args[1:], " "))
		if err != nil {
			return err
		}
		defer stream.Close()
		_, err = io.Copy(os.Stdout, stream)
		return err
	}
	return fmt.Errorf("batch files do not use adb %s", strings.Join(args, " "))
}
