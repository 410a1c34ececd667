package strictjson

import (
	"encoding/json"
	"io"
	"strings"
	"testing"
)

type value struct {
	Title string   `json:"title"`
	Link  string   `json:"link,omitempty"`
	Days  int      `json:"days,omitempty"`
	Tags  []string `json:"tags,omitempty"`
}

func TestUnmarshal(t *testing.T) {
	for name, c := range map[string]struct {
		text  string
		wrong string // part of the error, "" where it is good
	}{
		"good":                       {`{"title":"x","link":"https://ok","tags":["a"]}`, ""},
		"a backslash before u0000":   {`{"title":"\\u0000"}`, ""},
		"another case":               {`{"title":"x","link":"javascript:x","Link":"https://ok"}`, "Link: there is no such key"},
		"only in another case":       {`{"Title":"x"}`, "no such key"},
		"twice":                      {`{"title":"x","title":"y"}`, "duplicate"},
		"twice, once escaped":        {`{"title":"x","\u0074itle":"y"}`, "duplicate"},
		"unknown":                    {`{"title":"x","more":1}`, "more: there is no such key"},
		"NUL":                        {`{"title":"a\u0000b"}`, "NUL"},
		"NUL after a backslash":      {`{"title":"\\\u0000"}`, "NUL"},
		"half a character":           {`{"title":"\ud800"}`, "surrogate"},
		"no UTF-8":                   {"{\"title\":\"\xff\"}", "UTF-8"},
		"not the type":               {`{"title":3}`, "title: a number does not fit here"},
		"a number that is too large": {`{"days":99999999999999999999}`, "days"},
		"more after it":              {`{"title":"x"} true`, "at byte"},
		"ends early":                 {`{"title":"x"`, "at byte"},
		"nothing":                    {``, "at byte"},
	} {
		var v value
		err := Unmarshal([]byte(c.text), &v)
		if (err == nil) != (c.wrong == "") || err != nil && !strings.Contains(err.Error(), c.wrong) {
			t.Errorf("%s: %v, want %q", name, err, c.wrong)
		}
	}
	var v value
	if err := UnmarshalKnown([]byte(`{"title":"x","more":1}`), &v); err != nil || v.Title != "x" {
		t.Errorf("a key that is checked elsewhere: %v, %+v", err, v)
	}
	if err := UnmarshalKnown([]byte(`{"title":"x","title":"y"}`), &v); err == nil {
		t.Error("a key that is there twice passes")
	}
}

func TestGuard(t *testing.T) {
	bounds := Bounds{Values: 5, Depth: 3, Text: 10}
	for name, c := range map[string]struct{ text, wrong string }{
		"within":          {`{"a":[1,2],"b":"\"0123"}`, ""},
		"at the bounds":   {`[[["0123456789"]]]`[0:3] + `"012345678"]]]`, ""},
		"too deep":        {`[[[[1]]]]`, "inside one another"},
		"too many":        {`[1,2,3,4,5,6]`, "more than 5 values"},
		"many in a text":  {`["[[[[,,,,,"]`, ""},
		"a long text":     {`["01234567890"]`, "over 10 bytes"},
		"escaped quotes":  {`["\"\"\"\"\"\"\""]`, "over 10 bytes"},
		"what is no JSON": {`]]]]`, ""},
	} {
		for _, piece := range []int{1, 1000} {
			_, err := io.ReadAll(Guard(&pieces{c.text, piece}, bounds))
			if (err == nil) != (c.wrong == "") || err != nil && !strings.Contains(err.Error(), c.wrong) {
				t.Errorf("%s, %d at a time: %v, want %q", name, piece, err, c.wrong)
			}
		}
	}
}

// pieces hands a text out so many bytes at a time.
type pieces struct {
	text string
	size int
}

func (p *pieces) Read(b []byte) (int, error) {
	if p.text == "" {
		return 0, io.EOF
	}
	n := copy(b[:min(len(b), p.size)], p.text)
	p.text = p.text[n:]
	return n, nil
}

// FuzzUnmarshal: what is taken is what every other reader takes for the same.
func FuzzUnmarshal(f *testing.F) {
	for _, text := range []string{`{"title":"x","link":"https://ok"}`, `{"title":"x","Link":"y"}`, `{"title":"x","title":"y"}`, `{"title":"\\u0000"}`, `[1`} {
		f.Add([]byte(text))
	}
	f.Fuzz(func(t *testing.T, raw []byte) {
		var ours value
		if Unmarshal(raw, &ours) != nil {
			return
		}
		var theirs map[string]any
		if err := json.Unmarshal(raw, &theirs); err != nil {
			t.Fatalf("what nobody else reads is taken: %v", err)
		}
		if title, there := theirs["title"].(string); title != ours.Title && there || strings.ContainsRune(ours.Title+ours.Link, 0) {
			t.Errorf("%q, elsewhere %q", ours.Title, title)
		}
	})
}
