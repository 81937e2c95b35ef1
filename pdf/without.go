package pdf

import (
	"bytes"
	"fmt"
	"slices"

	"github.com/pdfcpu/pdfcpu/pkg/api"
	"github.com/pdfcpu/pdfcpu/pkg/pdfcpu/types"

	"readymargin/core/elsewhere"
)

// without returns a file without some annotations, and the windows that belong to
// them, as an incremental update.
func without(file []byte, gone []elsewhere.Place) ([]byte, error) {
	ctx, err := objects(file)
	if err != nil {
		return nil, err
	}
	ctx.Write.Increment = true
	ctx.Write.Offset = ctx.Read.FileSize
	for n := 1; n <= ctx.PageCount; n++ {
		if !slices.ContainsFunc(gone, func(p elsewhere.Place) bool { return p.Page == n }) {
			continue
		}
		d, ref, _, err := ctx.PageDict(n, false)
		if err != nil || d == nil || ref == nil {
			return nil, err
		}
		all, err := ctx.DereferenceArray(d["Annots"])
		if err != nil {
			return nil, err
		}
		left, dropped := types.Array{}, map[types.Object]bool{}
		for i, o := range all {
			if slices.Contains(gone, elsewhere.Place{Page: n, At: i}) {
				if _, ok := o.(types.IndirectRef); ok {
					dropped[o] = true
				}
				continue
			}
			left = append(left, o)
		}
		left = slices.DeleteFunc(left, func(o types.Object) bool {
			w, err := ctx.DereferenceDict(o)
			parent, ok := w["Parent"].(types.IndirectRef)
			return err == nil && ok && w.Subtype() != nil && *w.Subtype() == "Popup" && dropped[parent]
		})
		d["Annots"] = left
		ctx.Write.IncrementWithObjNr(ref.ObjectNumber.Value())
	}
	var b bytes.Buffer
	b.Write(file)
	if err := api.WriteIncrement(ctx, &b); err != nil {
		return nil, fmt.Errorf("pdf: writing: %w", err)
	}
	return b.Bytes(), nil
}
