package android

import (
	"bytes"
	"crypto/sha256"
	"encoding/binary"
	"encoding/hex"
	"errors"
	"io"
	"slices"
)

// The parts of a package file that say who signed it: the block before the zip's
// own table, and the kinds of signatures in it that are known here.
const (
	signingMagic    = "APK Sig Block 42"
	maxSigningBlock = 16 << 20
	maxZipEnd       = 22 + 1<<16
)

var signatureKinds = []uint32{0x7109871a, 0xf05368c0, 0x1b93ad61} // v2, v3, v3.1

var errUnsigned = errors.New("no signature that is known here")

// readSigners lists whose certificates a package file names, each as the SHA-256
// of the certificate in hex, once. That the signatures are good the phone itself
// checks when it installs the file; one that lies about its signer is refused
// there.
//
// Source: APK Signature Scheme v2 and v3, source.android.com.
func readSigners(r io.ReaderAt, size int64) ([]string, error) {
	block, err := signingBlock(r, size)
	if err != nil {
		return nil, err
	}
	var list []string
	for len(block) >= 12 {
		n := binary.LittleEndian.Uint64(block)
		if n < 4 || n > uint64(len(block)-8) {
			return nil, errUnsigned
		}
		kind, value := binary.LittleEndian.Uint32(block[8:]), block[12:8+n]
		block = block[8+n:]
		if !slices.Contains(signatureKinds, kind) {
			continue
		}
		signers := parts{rest: value}
		for signers = (parts{rest: signers.next()}); signers.more(); {
			signer := parts{rest: signers.next()}
			signed := parts{rest: signer.next()}
			signed.next() // digests
			certificates := parts{rest: signed.next()}
			first := certificates.next()
			if signers.bad || signed.bad || certificates.bad || len(first) == 0 {
				return nil, errUnsigned
			}
			sum := sha256.Sum256(first)
			if mark := hex.EncodeToString(sum[:]); !slices.Contains(list, mark) {
				list = append(list, mark)
			}
		}
	}
	if len(list) == 0 {
		return nil, errUnsigned
	}
	return list, nil
}

// signingBlock is what lies before the table of a zip, without its frame.
func signingBlock(r io.ReaderAt, size int64) ([]byte, error) {
	tail := make([]byte, min(size, maxZipEnd))
	if _, err := r.ReadAt(tail, size-int64(len(tail))); err != nil && !errors.Is(err, io.EOF) {
		return nil, err
	}
	at := bytes.LastIndex(tail, []byte("PK\x05\x06"))
	if at < 0 || len(tail)-at < 22 {
		return nil, errUnsigned
	}
	table := int64(binary.LittleEndian.Uint32(tail[at+16:]))
	var frame [24]byte
	if table < 32 || table > size {
		return nil, errUnsigned
	}
	if _, err := r.ReadAt(frame[:], table-24); err != nil {
		return nil, err
	}
	n := int64(binary.LittleEndian.Uint64(frame[:]))
	if string(frame[8:]) != signingMagic || n < 24 || n > maxSigningBlock || n+8 > table {
		return nil, errUnsigned
	}
	block := make([]byte, n-24)
	_, err := r.ReadAt(block, table-n)
	return block, err
}

// parts are pieces of bytes, each after its length.
type parts struct {
	rest []byte
	bad  bool
}

func (p *parts) more() bool { return len(p.rest) > 0 && !p.bad }

// next takes the next piece; what is not whole is none, and bad.
func (p *parts) next() []byte {
	if len(p.rest) < 4 {
		p.bad = true
		return nil
	}
	n := binary.LittleEndian.Uint32(p.rest)
	if uint64(n) > uint64(len(p.rest)-4) {
		p.bad = true
		return nil
	}
	piece := p.rest[4 : 4+n]
	p.rest = p.rest[4+n:]
	return piece
}
