package demo

import (
	"os/exec"
	"testing"

	"roster/bench/adb/adbtest"
	"roster/core/render"
	"roster/faults/wine"
)

// TestBatch runs the batch files by Wine's command interpreter, as TestScripts
// runs the shell forms by shells.
func TestBatch(t *testing.T) {
	adb := wine.Path(wine.Build(t, "roster/faults/wine/adb"))
	server := adbtest.StartTCP(t).Address
	batch := scripts{render.Batch, render.BatchUndo, "cmd", "script.bat", func(a *attached, script string, args ...string) *exec.Cmd {
		return wine.Command(t, []string{"ADB=" + adb, "ADB_SERVER=" + server}, "cmd", append([]string{"/d", "/c", script}, args...)...)
	}}
	names := []string{"com.brannock.weather.widget", "com.brannock.tips", "com.brannock.devicecare", "app.basketree.shop", "com.brannock.video"}
	a := attach(t, "tcp:"+server, "lyra-5", "15.0.0", names...)
	a.both(batch, names, "com.brannock.devicecare")
	a.guarded(batch, "com.brannock.home", "")
	t.Run("a cable that falls out", func(t *testing.T) {
		a := attach(t, "tcp:"+server, "lyra-5-mini", "15.0.0", "com.brannock.weather.widget", "com.brannock.tips", "com.brannock.video", "app.basketree.shop")
		a.interrupted(batch)
	})
}
