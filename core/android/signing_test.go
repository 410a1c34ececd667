package android

import (
	"bytes"
	"encoding/binary"
	"os"
	"slices"
	"testing"
)

// signedFile is a small package file that apksigner has signed, and what that
// prints of its certificate.
func signedFile(t testing.TB) (data []byte, signer string) {
	t.Helper()
	data, err := os.ReadFile("testdata/signed.apk")
	if err != nil {
		t.Fatal(err)
	}
	return data, "62d241bece136d6ad2761632329d295b989d4f41530e59f6db714d5ed5f1d36d"
}

func TestSigners(t *testing.T) {
	data, signer := signedFile(t)
	f, err := ReadPackageFile(bytes.NewReader(data), int64(len(data)))
	if err != nil || !slices.Equal(f.Signers, []string{signer}) || f.Name != "org.open.keys" {
		t.Errorf("%+v, %v", f, err)
	}
	// The same file without its block, and one that says less than it holds.
	magic := bytes.Index(data, []byte(signingMagic))
	for what, at := range map[string]int{"no magic": magic, "a wrong size": magic - 8} {
		bad := slices.Clone(data)
		bad[at] ^= 0x7f
		if list, err := readSigners(bytes.NewReader(bad), int64(len(bad))); err == nil {
			t.Errorf("%s: signed by %v", what, list)
		}
	}
	// The table of the zip begins where nothing can lie before it.
	bad := slices.Clone(data)
	end := bytes.LastIndex(bad, []byte("PK\x05\x06"))
	for _, table := range []uint32{0, 31, uint32(len(bad) + 1), 0xffffffff} {
		binary.LittleEndian.PutUint32(bad[end+16:], table)
		if list, err := readSigners(bytes.NewReader(bad), int64(len(bad))); err == nil {
			t.Errorf("a table at %d: signed by %v", table, list)
		}
	}
	if list, err := readSigners(bytes.NewReader(nil), 0); err == nil {
		t.Errorf("nothing is signed by %v", list)
	}
}

// FuzzSigners changes any bytes of a signed file: that is read or refused, and never
// more is asked for than there is.
func FuzzSigners(f *testing.F) {
	data, _ := signedFile(f)
	f.Add(uint16(0), []byte{1})
	f.Add(uint16(4000), []byte("\xff\xff\xff\xff\xff\xff\xff\xff"))
	f.Fuzz(func(t *testing.T, at uint16, with []byte) {
		bad := slices.Clone(data)
		copy(bad[min(int(at), len(bad)):], with)
		list, err := readSigners(bytes.NewReader(bad), int64(len(bad)))
		for _, one := range list {
			if err != nil || len(one) != 64 {
				t.Fatalf("%q, %v", one, err)
			}
		}
	})
}
