package pdf

import (
	"bytes"
	"errors"
	"fmt"
	"slices"

	"github.com/pdfcpu/pdfcpu/pkg/api"
	"github.com/pdfcpu/pdfcpu/pkg/pdfcpu/model"
	"github.com/pdfcpu/pdfcpu/pkg/pdfcpu/types"

	"readymargin/core/document"
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
	return updated(ctx, file)
}

// turnPages returns a file with pages turned, as an incremental update.
func turnPages(file []byte, turns []int) ([]byte, error) {
	ctx, err := objects(file)
	if err != nil {
		return nil, err
	}
	ctx.Write.Increment = true
	ctx.Write.Offset = ctx.Read.FileSize
	for i, by := range turns[:min(len(turns), ctx.PageCount)] {
		if by == 0 {
			continue
		}
		d, ref, inherited, err := ctx.PageDict(i+1, false)
		if err != nil || d == nil || ref == nil {
			return nil, errors.Join(err, document.ErrDamaged)
		}
		d["Rotate"] = types.Integer(((inherited.Rotate+by)%360 + 360) % 360)
		ctx.Write.IncrementWithObjNr(ref.ObjectNumber.Value())
	}
	return updated(ctx, file)
}

// updated returns a file with what was changed of its objects behind it.
func updated(ctx *model.Context, file []byte) ([]byte, error) {
	var b bytes.Buffer
	b.Write(file)
	if err := api.WriteIncrement(ctx, &b); err != nil {
		return nil, fmt.Errorf("pdf: writing: %w", err)
	}
	return b.Bytes(), nil
}
