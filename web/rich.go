package web

import (
	"bytes"
	"html/template"

	"github.com/microcosm-cc/bluemonday"
	"github.com/yuin/goldmark"
)

// tame lets through what instructions may have: paragraphs, lists, emphasis,
// and links that lead out of the house without telling where from.
var tame = func() *bluemonday.Policy {
	p := bluemonday.NewPolicy()
	p.AllowElements("p", "br", "ul", "ol", "li", "strong", "em")
	p.AllowAttrs("href").OnElements("a")
	p.AllowURLSchemes("http", "https", "mailto")
	p.RequireParseableURLs(true)
	p.RequireNoFollowOnLinks(true)
	p.RequireNoReferrerOnLinks(true)
	p.AddTargetBlankToFullyQualifiedLinks(true)
	return p
}()

// said writes what somebody wrote, which may be CommonMark.
func said(text string, formed bool) template.HTML {
	if formed {
		return rich(text)
	}
	return template.HTML(`<p class="whitespace-pre-wrap">` + template.HTMLEscapeString(text) + "</p>")
}

// rich writes instructions, which may have simple formatting (CommonMark), as
// HTML that can do no harm.
func rich(text string) template.HTML {
	var b bytes.Buffer
	if err := goldmark.Convert([]byte(text), &b); err != nil {
		return template.HTML("<p>" + template.HTMLEscapeString(text) + "</p>")
	}
	return template.HTML(tame.SanitizeBytes(b.Bytes()))
}
