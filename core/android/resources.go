package android

import (
	"encoding/binary"
	"errors"
	"fmt"
	"strings"
	"unicode/utf16"
)

// The chunks of which binary XML and resource tables are made, as the
// platform's ResourceTypes.h lays them out: type, header size and size, all
// little-endian.
const (
	chunkStrings  = 0x0001
	chunkTable    = 0x0002
	chunkXML      = 0x0003
	chunkStartTag = 0x0102
	chunkEndTag   = 0x0103
	chunkIDs      = 0x0180
	chunkPackage  = 0x0200
	chunkType     = 0x0201
)

// The kinds of a value that are of use here.
const (
	kindReference = 0x01
	kindString    = 0x03
)

// value is a typed value of an attribute or a resource.
type value struct {
	kind byte
	data uint32
	text string // where kind is kindString
}

var errCut = errors.New("it ends in the middle")

// chunk is one chunk's type, header and body.
type chunk struct {
	kind   uint16
	header []byte // after the common eight bytes
	body   []byte
	whole  []byte
}

// eachChunk walks over chunks that follow one another.
func eachChunk(raw []byte, each func(chunk) error) error {
	for len(raw) >= 8 {
		kind, head, size := binary.LittleEndian.Uint16(raw), int(binary.LittleEndian.Uint16(raw[2:])), int(binary.LittleEndian.Uint32(raw[4:]))
		if head < 8 || size < head || size > len(raw) {
			return errCut
		}
		if err := each(chunk{kind, raw[8:head], raw[head:size], raw[:size]}); err != nil {
			return err
		}
		raw = raw[size:]
	}
	return nil
}

func u16(b []byte, at int) int {
	if at < 0 || at+2 > len(b) {
		return 0
	}
	return int(binary.LittleEndian.Uint16(b[at:]))
}

func u32(b []byte, at int) uint32 {
	if at < 0 || at+4 > len(b) {
		return 0
	}
	return binary.LittleEndian.Uint32(b[at:])
}

// stringPool hands out the strings of a pool by index without decoding all.
type stringPool struct {
	whole   []byte
	count   int
	start   int
	utf8    bool
	offsets []byte
}

func newStringPool(c chunk) (stringPool, error) {
	p := stringPool{whole: c.whole, count: int(u32(c.header, 0)), utf8: u32(c.header, 8)&0x100 != 0, start: int(u32(c.header, 12)), offsets: c.body}
	if p.count < 0 || p.count*4 > len(c.body) || p.start > len(c.whole) {
		return p, errCut
	}
	return p, nil
}

func (p *stringPool) at(i uint32) string {
	if int64(i) >= int64(p.count) {
		return ""
	}
	at := p.start + int(u32(p.offsets, int(i)*4))
	if at < 0 || at+2 > len(p.whole) {
		return ""
	}
	b := p.whole[at:]
	if p.utf8 {
		_, b = length8(b) // the length in UTF-16 units
		n, b := length8(b)
		return string(b[:min(n, len(b))])
	}
	n := u16(b, 0)
	b = b[2:]
	if n&0x8000 != 0 {
		n, b = (n&0x7fff)<<16|u16(b, 0), b[min(2, len(b)):]
	}
	n = min(n, len(b)/2)
	units := make([]uint16, n)
	for i := range units {
		units[i] = binary.LittleEndian.Uint16(b[2*i:])
	}
	return string(utf16.Decode(units))
}

func length8(b []byte) (int, []byte) {
	if len(b) < 2 {
		return 0, nil
	}
	if b[0]&0x80 != 0 {
		return int(b[0]&0x7f)<<8 | int(b[1]), b[2:]
	}
	return int(b[0]), b[1:]
}

// xmlElement is a start or an end tag of binary XML.
type xmlElement struct {
	end  bool
	name string
	// attrs by the platform's id, plain ones by name.
	attrs map[uint32]value
	plain map[string]string
}

// walkXML calls each with every tag of a binary XML file.
func walkXML(raw []byte, each func(xmlElement)) error {
	if u16(raw, 0) != chunkXML || len(raw) < 8 {
		return errors.New("it is not binary XML")
	}
	var pool stringPool
	var ids []byte
	return eachChunk(raw[8:], func(c chunk) (err error) {
		switch c.kind {
		case chunkStrings:
			pool, err = newStringPool(c)
		case chunkIDs:
			ids = c.body
		case chunkEndTag:
			each(xmlElement{end: true, name: pool.at(u32(c.body, 4))})
		case chunkStartTag:
			e := xmlElement{name: pool.at(u32(c.body, 4)), attrs: map[uint32]value{}, plain: map[string]string{}}
			start, size, count := u16(c.body, 8), u16(c.body, 10), u16(c.body, 12)
			if size < 20 || start+size*count > len(c.body) {
				return errCut
			}
			for i := range count {
				a := c.body[start+i*size:]
				name := u32(a, 4)
				v := value{kind: a[15], data: u32(a, 16)}
				if v.kind == kindString {
					v.text = pool.at(v.data)
				}
				if int64(name) < int64(len(ids)/4) {
					e.attrs[u32(ids, int(name)*4)] = v
				} else {
					e.plain[pool.at(name)] = v.text
				}
			}
			each(e)
		}
		return err
	})
}

// resourceTable finds the values of a resource in every configuration.
type resourceTable struct {
	strings stringPool
	types   map[uint32][]resourceType // by package and type: 0xPPTT
}

// resourceType is the values of one type in one configuration.
type resourceType struct {
	language string
	count    int
	sparse   bool
	offsets  []byte
	entries  []byte
}

func readResourceTable(raw []byte) (*resourceTable, error) {
	if u16(raw, 0) != chunkTable || len(raw) < 12 {
		return nil, errors.New("it is no resource table")
	}
	t := &resourceTable{types: map[uint32][]resourceType{}}
	return t, eachChunk(raw[u16(raw, 2):], func(c chunk) (err error) {
		switch c.kind {
		case chunkStrings:
			t.strings, err = newStringPool(c)
		case chunkPackage:
			id := u32(c.header, 0)
			err = eachChunk(c.body, func(c chunk) error {
				if c.kind == chunkType {
					return t.addType(id, c)
				}
				return nil
			})
		}
		return err
	})
}

func (t *resourceTable) addType(pkg uint32, c chunk) error {
	if len(c.header) < 20 {
		return errCut
	}
	typ := resourceType{sparse: c.header[1]&1 != 0, count: int(u32(c.header, 4)), language: language(c.header[12:]), offsets: c.body}
	start := int(u32(c.header, 8)) - (len(c.whole) - len(c.body))
	if typ.count < 0 || typ.count > len(c.body)/4 || start < 0 || start > len(c.body) {
		return errCut
	}
	typ.entries = c.body[start:]
	key := pkg<<8 | uint32(c.header[0])
	if len(t.types[key]) > 2000 {
		return fmt.Errorf("more than 2000 configurations of a type")
	}
	t.types[key] = append(t.types[key], typ)
	return nil
}

// language reads a configuration's locale as a BCP 47 tag, "" for none.
func language(config []byte) string {
	if len(config) < 12 {
		return ""
	}
	code := func(b []byte, base byte) string {
		if b[0] == 0 {
			return ""
		}
		if b[0]&0x80 == 0 {
			return string(b[:2])
		}
		// Three letters, five bits each.
		return string([]byte{base + b[1]&0x1f, base + b[1]>>5 + b[0]&3<<3, base + b[0]>>2&0x1f})
	}
	tag := code(config[8:10], 'a')
	if region := code(config[10:12], '0'); tag != "" && region != "" {
		tag += "-" + strings.ToUpper(region)
	}
	return tag
}

// each calls f with the value of a resource in every configuration, until the
// budget is used up.
func (t *resourceTable) each(id uint32, budget *int, f func(language string, v value)) {
	if t == nil {
		return
	}
	index := int(id & 0xffff)
	for _, typ := range t.types[id>>16] {
		if *budget--; *budget < 0 {
			return
		}
		offset := uint32(0xffffffff)
		switch {
		case typ.sparse:
			*budget -= typ.count / 64
			for i := range typ.count {
				if u16(typ.offsets, i*4) == index {
					offset = uint32(u16(typ.offsets, i*4+2)) * 4
				}
			}
		case index < typ.count:
			offset = u32(typ.offsets, index*4)
		}
		if int64(offset)+16 > int64(len(typ.entries)) {
			continue
		}
		e := typ.entries[offset:]
		if u16(e, 2)&1 != 0 {
			continue // a bag of values
		}
		v := value{kind: e[11], data: u32(e, 12)}
		if v.kind == kindString {
			v.text = t.strings.at(v.data)
		}
		f(typ.language, v)
	}
}

// texts resolves a value to a text for each language.
func (t *resourceTable) texts(v value) map[string]string {
	out := map[string]string{}
	budget := maxResolved
	t.resolve(v, "", &budget, func(language, text string) {
		if _, have := out[language]; !have {
			out[language] = text
		}
	})
	return out
}

// paths resolves a value to the files that it names, in every configuration.
func (t *resourceTable) paths(v value) []string {
	var out []string
	budget := maxResolved
	t.resolve(v, "", &budget, func(_, text string) {
		if len(out) < 50 {
			out = append(out, text)
		}
	})
	return out
}

// maxResolved bounds how many configurations are looked at for one value:
// references may lead to one another, in every configuration.
const maxResolved = 20_000

func (t *resourceTable) resolve(v value, language string, budget *int, f func(language, text string)) {
	switch {
	case v.kind == kindString:
		f(language, v.text)
	case v.kind == kindReference && *budget > 0:
		t.each(v.data, budget, func(l string, v value) {
			if l == "" {
				l = language
			}
			t.resolve(v, l, budget, f)
		})
	}
}
