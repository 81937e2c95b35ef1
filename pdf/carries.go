package pdf

import (
	"bytes"
	"slices"

	"readymargin/core/document"

	"github.com/pdfcpu/pdfcpu/pkg/pdfcpu/model"
	"github.com/pdfcpu/pdfcpu/pkg/pdfcpu/types"
)

// carried looks for what a file carries. A file that cannot be looked into so
// carries nothing that anybody could find.
func carried(file []byte) (c document.Carried) {
	ctx, err := objects(file)
	if err != nil {
		return c
	}
	c.Revisions = max(0, bytes.Count(file, []byte("startxref"))-1)
	if bytes.Contains(file[:min(len(file), 4096)], []byte("/Linearized")) {
		c.Revisions = max(0, c.Revisions-1) // which has two by itself
	}
	c.Author = ctx.Info != nil || ctx.RootDict["Metadata"] != nil
	names, _ := ctx.DereferenceDict(ctx.RootDict["Names"])
	c.Attachments = leaves(ctx, names["EmbeddedFiles"], 0)
	c.Scripts = leaves(ctx, names["JavaScript"], 0)
	for _, key := range []string{"OpenAction", "AA"} {
		if d, err := ctx.DereferenceDict(ctx.RootDict[key]); err == nil && d != nil && (key == "AA" || d.NameEntry("S") != nil && *d.NameEntry("S") == "JavaScript") {
			c.Scripts++
		}
	}
	for n := range ctx.PageCount {
		page, _, _, err := ctx.PageDict(n+1, false)
		if err != nil || page == nil {
			continue
		}
		annots, _ := ctx.DereferenceArray(page["Annots"])
		for _, a := range annots {
			d, err := ctx.DereferenceDict(a)
			if err != nil || d == nil || d.Subtype() == nil {
				continue
			}
			switch kind := *d.Subtype(); {
			case kind == "FileAttachment":
				c.Attachments++
			case slices.Contains(comments, kind):
				c.Comments++
			case kind == "Widget":
				if field, _, _, err := fieldOf(ctx, a, d); err == nil && field["FT"] == types.Name("Sig") && field["V"] != nil {
					c.Signatures++
				}
			}
		}
	}
	return c
}

// leaves counts the entries of a name tree (ISO 32000-2, 7.9.6).
func leaves(ctx *model.Context, o types.Object, depth int) (n int) {
	d, err := ctx.DereferenceDict(o)
	if err != nil || d == nil || depth > 20 {
		return 0
	}
	names, _ := ctx.DereferenceArray(d["Names"])
	n = len(names) / 2
	kids, _ := ctx.DereferenceArray(d["Kids"])
	for _, k := range kids[:min(len(kids), 1000)] {
		n += leaves(ctx, k, depth+1)
	}
	return n
}
