package render

import (
	"bytes"
	"regexp"

	"github.com/microcosm-cc/bluemonday"
	"github.com/yuin/goldmark"
)

// markdown knows CommonMark alone; markup that stands in the text is left out.
var markdown = goldmark.New()

// prose lets through what a description needs and nothing else: no pictures,
// no styles, no addresses but of the web.
var prose = func() *bluemonday.Policy {
	p := bluemonday.NewPolicy()
	p.AllowElements("p", "br", "strong", "em", "code", "pre", "ul", "ol", "li", "blockquote", "hr", "h3", "h4", "h5", "h6")
	p.AllowAttrs("href").Matching(regexp.MustCompile(`^https?://`)).OnElements("a")
	p.AllowURLSchemes("http", "https")
	p.RequireNoFollowOnLinks(true)
	p.RequireNoReferrerOnLinks(true)
	p.AddTargetBlankToFullyQualifiedLinks(true)
	return p
}()

// Prose makes HTML of CommonMark that somebody wrote. Whatever the text holds,
// the result holds no script, no style, no picture and no frame.
func Prose(text string) string {
	var b bytes.Buffer
	if err := markdown.Convert([]byte(text), &b); err != nil {
		return "<p>" + bluemonday.StrictPolicy().Sanitize(text) + "</p>"
	}
	return prose.Sanitize(b.String())
}
