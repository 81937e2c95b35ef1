package pdf

import (
	"regexp"
	"slices"

	"github.com/pdfcpu/pdfcpu/pkg/pdfcpu/types"
)

// setFont matches the operator that chooses a font (ISO 32000-2, 9.3.1).
var setFont = regexp.MustCompile(`/([^\s/()<>\[\]{}%]+)\s+-?[\d.]+\s+Tf`)

// usedFonts returns for each page the names of the fonts that its content
// chooses. What a page's resources list is no answer: programs let all pages
// share one list.
func usedFonts(file []byte) ([][]string, error) {
	ctx, err := objects(file)
	if err != nil {
		return nil, err
	}
	out := make([][]string, ctx.PageCount)
	for i := range out {
		d, _, inherited, err := ctx.PageDict(i+1, false)
		if err != nil || d == nil {
			continue
		}
		resources, err := ctx.DereferenceDict(d["Resources"])
		if err == nil && resources == nil && inherited != nil {
			resources = inherited.Resources
		}
		fonts, err := ctx.DereferenceDict(resources["Font"])
		if err != nil {
			continue
		}
		content, err := ctx.PageContent(d, i+1)
		if err != nil {
			continue
		}
		for _, m := range setFont.FindAllSubmatch(content, -1) {
			f, err := ctx.DereferenceDict(fonts[string(m[1])])
			if err != nil || f == nil {
				continue
			}
			if name, ok := f["BaseFont"].(types.Name); ok && !slices.Contains(out[i], string(name)) {
				out[i] = append(out[i], string(name))
			}
		}
	}
	return out, nil
}
