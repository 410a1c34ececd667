package phone

import (
	"archive/zip"
	"bytes"
	"encoding/binary"
	"encoding/json"
	"image"
	"image/color"
	"image/png"
	"io/fs"
	"maps"
	"os"
	"path/filepath"
	"slices"
	"time"
	"unicode/utf16"

	"roster/core/android"
)

// packageFile builds the package file of an app: a zip with a binary
// manifest, a resource table with its labels and a picture, as the platform
// lays them out.
func packageFile(a *app) []byte {
	labels := maps.Clone(a.Labels)
	if labels == nil {
		labels = map[string]string{}
	}
	if a.Label != "" {
		labels[""] = a.Label
	}
	return signed(a, func(add func(name string, data []byte)) {
		add("AndroidManifest.xml", manifestXML(a, "", len(labels) > 0))
		add("classes.dex", bytes.Repeat([]byte(a.Name+"\n"), 200))
		for _, abi := range a.ABIs {
			add("lib/"+abi+"/lib.so", []byte(a.Name))
		}
		if len(labels) > 0 {
			add("resources.arsc", resourceTable(a.Name, labels))
			add("res/icon.png", picture(a.Name))
		}
		able, err := json.Marshal(ability{a.Roles, a.Keyboard})
		if err != nil {
			panic(err)
		}
		add(abilityFile, able)
	})
}

// ability is what a stand-in finds in its own package files about what an app can
// do, in abilityFile.
type ability struct {
	Roles    []string
	Keyboard bool
}

const abilityFile = "assets/stand-in.json"

// signed puts a package file together and signs it, as far as saying who: no
// stand-in checks more.
func signed(a *app, fill func(add func(name string, data []byte))) []byte {
	var b bytes.Buffer
	z := zip.NewWriter(&b)
	fill(func(name string, data []byte) {
		w, err := z.CreateHeader(&zip.FileHeader{Name: name, Method: zip.Deflate, Modified: time.Date(2009, 1, 1, 0, 0, 0, 0, time.UTC)})
		if err == nil {
			_, err = w.Write(data)
		}
		if err != nil {
			panic(err) // a buffer takes everything
		}
	})
	if err := z.Close(); err != nil {
		panic(err)
	}
	raw := b.Bytes()
	end := raw[len(raw)-22:] // of a zip without a comment
	table := binary.LittleEndian.Uint32(end[16:])
	block := signingBlock([]byte("certificate of " + a.signer()))
	binary.LittleEndian.PutUint32(end[16:], table+uint32(len(block)))
	return slices.Concat(raw[:table], block, raw[table:])
}

// signer names whose key signed the package file.
func (a *app) signer() string {
	if a.Signer != "" {
		return a.Signer
	}
	return a.signedBy()
}

// signingBlock is an APK Signature Scheme v2 block that names a certificate.
func signingBlock(certificate []byte) []byte {
	piece := func(parts ...[]byte) []byte {
		all := bytes.Join(parts, nil)
		return append(words(uint32(len(all))), all...)
	}
	value := piece(piece(piece(piece(), piece(piece(certificate)), piece()), piece(), piece()))
	pair := binary.LittleEndian.AppendUint64(nil, uint64(4+len(value)))
	pair = append(append(pair, words(0x7109871a)...), value...)
	size := binary.LittleEndian.AppendUint64(nil, uint64(len(pair)+8+16))
	return slices.Concat(size, pair, size, []byte("APK Sig Block 42"))
}

// splitFile is a split of a package: it holds what the split is for alone.
func splitFile(a *app, split string) []byte {
	return signed(a, func(add func(name string, data []byte)) {
		add("AndroidManifest.xml", manifestXML(a, split, false))
		add("res/"+split+".bin", bytes.Repeat([]byte(a.Name+" "+split+"\n"), 100))
	})
}

// File is the package file of what a spec describes, and Splits those of its
// splits, by their names: for people who have none to try things with.
func File(spec PackageSpec) []byte { return packageFile(newApp(spec, 0)) }

// WriteFiles writes the package files of the packages that a file of specs lists
// into a folder, each as NAME.apk or, with splits, into a folder of its name, and
// returns what it has written.
func WriteFiles(fsys fs.FS, file, folder string) (written []string, err error) {
	var specs []PackageSpec
	if err := readYAML(fsys, file, &specs); err != nil {
		return nil, err
	}
	for _, spec := range specs {
		if _, err := android.ParsePackageName(spec.Name); err != nil {
			return written, err
		}
		files := map[string][]byte{spec.Name + ".apk": File(spec)}
		if len(spec.Splits) > 0 {
			files = map[string][]byte{filepath.Join(spec.Name, "base.apk"): File(spec)}
			for name, data := range Splits(spec) {
				files[filepath.Join(spec.Name, name)] = data
			}
		}
		for _, name := range slices.Sorted(maps.Keys(files)) {
			at := filepath.Join(folder, name)
			err := os.MkdirAll(filepath.Dir(at), 0o755)
			if err == nil {
				err = os.WriteFile(at, files[name], 0o644)
			}
			if err != nil {
				return written, err
			}
			written = append(written, at)
		}
	}
	return written, nil
}

// Splits are the files of a spec's splits, each under the name that it has on a
// phone.
func Splits(spec PackageSpec) map[string][]byte {
	files := map[string][]byte{}
	for _, split := range spec.Splits {
		files["split_"+split+".apk"] = splitFile(newApp(spec, 0), split)
	}
	return files
}

// picture is a square in a colour of the package's own.
func picture(name string) []byte {
	h := hashOf(name)
	main := color.NRGBA{uint8(64 + h%128), uint8(64 + h>>8%128), uint8(64 + h>>16%128), 255}
	light := color.NRGBA{255, 255, 255, 255}
	img := image.NewNRGBA(image.Rect(0, 0, 48, 48))
	for y := range 48 {
		for x := range 48 {
			// A made-up sign: bits of the hash on a grid of five by five.
			gx, gy := (x-4)/8, (y-4)/8
			bit := min(gx, 4-gx)*5 + gy
			if x >= 4 && y >= 4 && x < 44 && y < 44 && h>>(bit%32)&1 == 1 {
				img.SetNRGBA(x, y, light)
			} else {
				img.SetNRGBA(x, y, main)
			}
		}
	}
	var b bytes.Buffer
	if err := png.Encode(&b, img); err != nil {
		panic(err)
	}
	return b.Bytes()
}

// chunkOf puts a chunk together: type, header size, size, rest of the header
// and body.
func chunkOf(kind uint16, header, body []byte) []byte {
	b := binary.LittleEndian.AppendUint16(nil, kind)
	b = binary.LittleEndian.AppendUint16(b, uint16(8+len(header)))
	b = binary.LittleEndian.AppendUint32(b, uint32(8+len(header)+len(body)))
	return append(append(b, header...), body...)
}

func words(values ...uint32) []byte {
	var b []byte
	for _, v := range values {
		b = binary.LittleEndian.AppendUint32(b, v)
	}
	return b
}

// stringChunk is a pool of strings: UTF-8 in resource tables, UTF-16 in XML.
func stringChunk(list []string, utf8 bool) []byte {
	var offsets, data []byte
	for _, s := range list {
		offsets = binary.LittleEndian.AppendUint32(offsets, uint32(len(data)))
		units := utf16.Encode([]rune(s))
		if utf8 {
			data = append(length8(length8(data, len(units)), len(s)), s...)
			data = append(data, 0)
			continue
		}
		data = binary.LittleEndian.AppendUint16(data, uint16(len(units)))
		for _, u := range append(units, 0) {
			data = binary.LittleEndian.AppendUint16(data, u)
		}
	}
	for len(data)%4 != 0 {
		data = append(data, 0)
	}
	flags := uint32(0)
	if utf8 {
		flags = 0x100
	}
	return chunkOf(1, words(uint32(len(list)), 0, flags, uint32(28+len(offsets)), 0), append(offsets, data...))
}

func length8(b []byte, n int) []byte {
	if n > 0x7f {
		return append(b, byte(n>>8)|0x80, byte(n))
	}
	return append(b, byte(n))
}

const none = 0xffffffff

// manifestXML is AndroidManifest.xml in the platform's binary form.
func manifestXML(a *app, split string, labelled bool) []byte {
	pool := []string{"label", "icon", "name", "versionCode", "versionName", "minSdkVersion", // the first ones have ids
		"http://schemas.android.com/apk/res/android", "package", "manifest", "application", "activity", "intent-filter", "action", "category",
		a.Name, a.Version, a.Name + ".Main", "android.intent.action.MAIN", "android.intent.category.LAUNCHER", "uses-sdk", "split", split}
	ids := words(0x01010001, 0x01010002, 0x01010003, 0x0101021b, 0x0101021c, 0x0101020c)
	at := func(s string) uint32 { return uint32(slices.Index(pool, s)) }
	space := at("http://schemas.android.com/apk/res/android")
	attr := func(ns uint32, name string, raw uint32, kind byte, data uint32) []byte {
		b := append(words(ns, at(name), raw), 8, 0, 0, kind)
		return append(b, words(data)...)
	}
	text := func(ns uint32, name, s string) []byte { return attr(ns, name, at(s), 3, at(s)) }
	start := func(tag string, attrs ...[]byte) []byte {
		body := words(none, at(tag))
		for _, n := range []uint16{20, 20, uint16(len(attrs)), 0, 0, 0} {
			body = binary.LittleEndian.AppendUint16(body, n)
		}
		return chunkOf(0x0102, words(1, none), append(body, bytes.Join(attrs, nil)...))
	}
	end := func(tag string) []byte { return chunkOf(0x0103, words(1, none), words(none, at(tag))) }
	application := start("application")
	if labelled {
		application = start("application", attr(space, "label", none, 1, 0x7f010000), attr(space, "icon", none, 1, 0x7f020000))
	}
	root := [][]byte{attr(space, "versionCode", none, 0x10, uint32(a.versionCode)), text(space, "versionName", a.Version), text(none, "package", a.Name)}
	if split != "" {
		root = append(root, text(none, "split", split))
	}
	body := bytes.Join([][]byte{
		stringChunk(pool, false), chunkOf(0x0180, nil, ids),
		chunkOf(0x0100, words(1, none), words(none, space)),
		start("manifest", root...),
		start("uses-sdk", attr(space, "minSdkVersion", none, 0x10, uint32(a.MinSDK))), end("uses-sdk"),
		application,
		start("activity", text(space, "name", a.Name+".Main")), start("intent-filter"),
		start("action", text(space, "name", "android.intent.action.MAIN")), end("action"),
		start("category", text(space, "name", "android.intent.category.LAUNCHER")), end("category"),
		end("intent-filter"), end("activity"), end("application"), end("manifest"),
		chunkOf(0x0101, words(1, none), words(none, space)),
	}, nil)
	return chunkOf(3, nil, body)
}

// resourceTable is resources.arsc with a label in each language and the
// picture's path.
func resourceTable(name string, labels map[string]string) []byte {
	pool := []string{"res/icon.png"}
	one := func(typ byte, language string, index uint32) []byte {
		config := make([]byte, 64)
		config[0] = 64
		copy(config[8:10], language)
		if len(language) == 5 {
			copy(config[10:12], language[3:])
		}
		entry := words(8, 0) // size 8 and flags 0, key 0
		if typ == 2 {
			entry = words(8, 1)
		}
		entry = append(append(entry, 8, 0, 0, 3), words(index)...)
		header := append([]byte{typ, 0, 0, 0}, words(1, uint32(8+12+len(config)+4))...)
		return chunkOf(0x0201, append(header, config...), append(words(0), entry...))
	}
	var types []byte
	types = append(types, chunkOf(0x0202, append([]byte{1, 0, 0, 0}, words(1)...), words(4))...)
	for _, language := range slices.Sorted(maps.Keys(labels)) {
		types = append(types, one(1, language, uint32(len(pool)))...)
		pool = append(pool, labels[language])
	}
	types = append(types, chunkOf(0x0202, append([]byte{2, 0, 0, 0}, words(1)...), words(0))...)
	types = append(types, one(2, "", 0)...)

	typeNames, keyNames := stringChunk([]string{"string", "mipmap"}, false), stringChunk([]string{"app_name", "icon"}, true)
	header := words(0x7f)
	title := make([]byte, 256)
	for i, u := range utf16.Encode([]rune(name)) {
		if i < 127 {
			binary.LittleEndian.PutUint16(title[2*i:], u)
		}
	}
	header = append(append(header, title...), words(288, 2, uint32(288+len(typeNames)), 2, 0)...)
	pkg := chunkOf(0x0200, header, bytes.Join([][]byte{typeNames, keyNames, types}, nil))
	return chunkOf(2, words(1), append(stringChunk(pool, true), pkg...))
}
