package phone

import (
	"archive/zip"
	"bytes"
	"maps"
	"testing"

	"roster/core/android"
)

// TestPackageFile builds package files and reads them back with the reader
// that is meant for real ones.
func TestPackageFile(t *testing.T) {
	for _, spec := range []PackageSpec{
		{Name: "com.brannock.wallet.core", Version: "4.1", Label: "Pocket", Labels: map[string]string{"de": "Tasche", "ar": "محفظة", "pt-BR": "Bolso"}},
		{Name: "com.brannock.media.lib", Version: "1"},
		{Name: "com.example.long", Version: "2", Label: string(bytes.Repeat([]byte("ä"), 150))},
	} {
		a := newApp(spec, 7)
		raw := packageFile(a)
		f, err := android.ReadPackageFile(bytes.NewReader(raw), int64(len(raw)))
		if err != nil {
			t.Fatal(err)
		}
		want := maps.Clone(spec.Labels)
		if want == nil {
			want = map[string]string{}
		}
		if spec.Label != "" {
			want[""] = spec.Label
		}
		if string(f.Name) != spec.Name || f.VersionCode != a.versionCode || f.VersionName != spec.Version || !maps.Equal(f.Labels, want) {
			t.Errorf("%+v", f)
		}
		if got := android.PictureType(f.Icon); (got == "image/png") != (spec.Label != "") {
			t.Errorf("%s: the icon is %q", spec.Name, got)
		}
	}
}

// FuzzReadPackageFile puts any manifest and any resource table into a package
// file.
func FuzzReadPackageFile(f *testing.F) {
	a := newApp(PackageSpec{Name: "a.b", Version: "1", Label: "x", Labels: map[string]string{"de": "y"}}, 1)
	f.Add(manifestXML(a, "", true), resourceTable("a.b", map[string]string{"": "x", "de": "y"}))
	f.Add(manifestXML(a, "", false), []byte{})
	f.Fuzz(func(t *testing.T, manifest, table []byte) {
		var b bytes.Buffer
		z := zip.NewWriter(&b)
		for name, data := range map[string][]byte{"AndroidManifest.xml": manifest, "resources.arsc": table} {
			w, err := z.CreateHeader(&zip.FileHeader{Name: name})
			if err != nil {
				t.Fatal(err)
			}
			w.Write(data)
		}
		z.Close()
		got, err := android.ReadPackageFile(bytes.NewReader(b.Bytes()), int64(b.Len()))
		if err == nil && !got.Name.Valid() {
			t.Fatalf("%q came through", got.Name)
		}
	})
}
