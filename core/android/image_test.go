package android

import (
	"regexp"
	"strings"
	"testing"
)

// rootLine is what may stand in a line that root does, outside of the boot script
// and our own words: nothing of a phone's that a shell would take for something else.
var rootLine = regexp.MustCompile(`^[A-Za-z0-9_./ :;,&|<>{}\[\]!"'$()=\-\\\n\t%#*?+@~]*$`)

// TestImageSays reads and writes how packages lie.
func TestImageSays(t *testing.T) {
	for _, bad := range []string{"", "folder=/product/app/X", "root=su folder=/product/app/X at=/vendor", "root=su folder=/product/../x/y at=/product",
		"root=su at=/product folder=/product/app/$(reboot)", "root=su at=/data folder=/data/app/x", "root=su at=/ folder=/system"} {
		if i, ok := ParseImage(bad); ok {
			t.Errorf("%q was read as %+v", bad, i)
		}
	}
	for _, folder := range []string{
		"/system", "/system/app", "/product/app/../x", "/data/app/x", "/product/app/a b", "/product/app/'", "product/app/x", "/product//x", "/apex/a/b",
	} {
		if GoodFolder(folder) {
			t.Errorf("%q is good", folder)
		}
	}
	i, ok := ParseImage("root=su state=there way=masked why=read-only at=/product folder=/product/priv-app/Name_1.x-2")
	if !ok || i.Way != Masked {
		t.Fatalf("%+v, %t", i, ok)
	}
	for _, name := range []PackageName{"", "a", "a.b; reboot", "a.$(id)"} {
		for what, command := range map[string]func(PackageName) (string, error){"out": i.TakeOutCommand, "back": i.PutBackCommand, "list": i.ListCommand} {
			if line, err := command(name); err == nil {
				t.Errorf("%s of %q: %s", what, name, line)
			}
		}
	}
	i.Way = ""
	if _, err := i.TakeOutCommand("a.b"); err == nil {
		t.Error("it is taken out in no way")
	}
}

// FuzzImage has a phone tell anything: no line that root does holds what it told
// unless that can be a package's folder, or a file's in it.
func FuzzImage(f *testing.F) {
	f.Add("--image-a.b\ncodePath=/product/app/X\n",
		"--image-id\n0\n--image-mounts\n/dev/x /product ext4 ro 0 0\n--image-scripts\nyes\n--image-masks\na.b /product/app/X /product\n",
		"755 0 0 4 u:object_r:x:s0 directory\n/product/app/X\n-\n--image-done\n")
	f.Add("--image-a.b\ncodePath=/product/app/$(reboot)\n",
		"--image-id\n0\n--image-who\n0\n--image-masks\na.b /product/app/`id` /product\n",
		"755 0 0 4 u:object_r:x:s0 directory\n/product/app/X/';reboot;'\n-\n--image-done\n")
	f.Fuzz(func(t *testing.T, folders, root, files string) {
		const name = PackageName("a.b")
		lies := ReadFolders(folders)[name]
		facts := ReadRoot(root)
		facts.ReadProbe(root)
		image := facts.Of(name, lies)
		told := []string{RootQuestion([]string{lies.Folder})}
		if probe := facts.MayWrite([]string{lies.Folder}); len(probe) > 0 {
			told = append(told, ProbeQuestion(facts.Root, probe))
		}
		placed := image.Root.Given() && image.Folder != "" && image.Why != NotOnImage
		if again, ok := ParseImage(image.String()); placed && (!ok || again.Folder != image.Folder) {
			t.Errorf("%q was read as %+v, of %+v", image.String(), again, image)
		}
		for _, way := range []Way{Masked, Erased} {
			image.Way = way
			if line, err := image.TakeOutCommand(name); err == nil {
				told = append(told, strings.ReplaceAll(line, "✓", ""))
			}
		}
		if line, err := image.PutBackCommand(name); err == nil {
			told = append(told, line)
		}
		if list, err := image.ReadList(files); err == nil {
			if line, err := image.WriteCommand(name, list, "/data/local/tmp/x"); err == nil {
				told = append(told, line)
			}
		}
		for _, line := range told {
			if !rootLine.MatchString(line) || strings.Contains(line, "reboot") || strings.Contains(line, "`id`") {
				t.Errorf("root would do %q", line)
			}
		}
		if image.Folder != "" && !GoodFolder(image.Folder) || image.At != "" && image.At != "/" && !strings.HasPrefix(image.Folder, image.At+"/") {
			t.Errorf("%q is a folder on %q", image.Folder, image.At)
		}
	})
}
