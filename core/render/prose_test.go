package render

import (
	"strings"
	"testing"
)

func TestProse(t *testing.T) {
	for text, want := range map[string]string{
		"Keeps **transit cards**.":       "<p>Keeps <strong>transit cards</strong>.</p>\n",
		"- one\n- two":                   "<ul>\n<li>one</li>\n<li>two</li>\n</ul>\n",
		"`pm list`":                      "<p><code>pm list</code></p>\n",
		"[notes](https://notes.example)": `<p><a href="https://notes.example" rel="nofollow noreferrer noopener" target="_blank">notes</a></p>` + "\n",
		"مفكرة":                          "<p>مفكرة</p>\n",
	} {
		if got := Prose(text); got != want {
			t.Errorf("%q:\n got %q\nwant %q", text, got, want)
		}
	}
	for _, text := range []string{
		"<script>alert(1)</script>", `<img src=x onerror=alert(1)>`, "[x](javascript:alert(1))", "![x](https://a.example/x.png)",
		`<a href="data:text/html,x" onclick=a()>x</a>`, "<style>*{}</style>", "<iframe src=//a.example></iframe>", "[x]: javascript:a()\n[x]", "<svg onload=a()>",
		"[x](//a.example)", `**<b style="position:fixed">x</b>**`,
	} {
		got := strings.ToLower(Prose(text))
		for _, bad := range []string{"<script", "<img", "javascript:", "onerror", "onclick", "onload", "<style", "style=", "<iframe", "data:", "<svg", "href=\"//"} {
			if strings.Contains(got, bad) {
				t.Errorf("%q: %q lets %s through", text, got, bad)
			}
		}
	}
}

func TestCell(t *testing.T) {
	for text, want := range map[string]string{"": "", "Tips": "Tips", "=1+1": "'=1+1", "@cmd": "'@cmd", "-x": "'-x", "\t=1": "'\t=1", "a=b": "a=b"} {
		if got := Cell(text); got != want {
			t.Errorf("%q: %q, want %q", text, got, want)
		}
	}
}
