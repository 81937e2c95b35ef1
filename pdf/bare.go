package pdf

import (
	"bytes"
	"fmt"

	"github.com/pdfcpu/pdfcpu/pkg/api"
	"github.com/pdfcpu/pdfcpu/pkg/pdfcpu/model"
	"github.com/pdfcpu/pdfcpu/pkg/pdfcpu/types"
)

// Keys in the dictionaries of what printing adds, content streams, pages and elements of
// the structure, by which it is known when the file comes back (ISO 32000-2, annex E:
// names of a product's own). Other readers pass them over.
const (
	copyKey  = "ReadyMarginCopy"  // the number of the copy that was printed
	addedKey = "ReadyMarginAdded" // of a page that printing added
)

// formerName is what marks were painted by as a form, with the same keys, in files of
// before.
const formerName = "ReadyMarginMarks"

// bare returns a file without what printing a copy had added to it, marks and
// pages, as an incremental update, and the number of that copy; nil and 0 for
// a file in which there is nothing of the kind.
func bare(file []byte) (out []byte, copied uint64, err error) {
	ctx, err := objects(file)
	if err != nil {
		return nil, 0, err
	}
	ctx.Write.Increment = true
	ctx.Write.Offset = ctx.Read.FileSize
	added := map[int]bool{}
	for n, e := range ctx.Table {
		if e == nil || e.Free {
			continue
		}
		sd, ok := e.Object.(types.StreamDict)
		if !ok {
			continue
		}
		number := sd.IntEntry(copyKey)
		if number == nil {
			continue
		}
		copied = uint64(max(*number, 0))
		added[n] = sd.BooleanEntry(addedKey) != nil
		var none int64
		sd.Raw, sd.Content, sd.FilterPipeline, sd.StreamLength = []byte{}, nil, nil, &none
		delete(sd.Dict, "Filter")
		delete(sd.Dict, "DecodeParms")
		sd.Dict["Length"] = types.Integer(0)
		e.Object = sd
		ctx.Write.IncrementWithObjNr(n)
	}
	if copied == 0 {
		return nil, 0, nil
	}
	silence(ctx)
	if err := dropAdded(ctx, added); err != nil {
		return nil, 0, err
	}
	var b bytes.Buffer
	b.Write(file)
	if err := api.WriteIncrement(ctx, &b); err != nil {
		return nil, 0, fmt.Errorf("pdf: writing: %w", err)
	}
	return b.Bytes(), copied, nil
}

// silence takes from the structure what it says of the marks.
func silence(ctx *model.Context) {
	for n := range ctx.Table {
		d, err := ctx.DereferenceDict(*types.NewIndirectRef(n, 0))
		if err != nil || d == nil || d.IntEntry(copyKey) == nil {
			continue
		}
		for _, k := range []string{"Alt", "ActualText", "K", copyKey} {
			delete(d, k)
		}
		ctx.Write.IncrementWithObjNr(n)
	}
}

// dropAdded takes pages out of the page tree that printing added.
func dropAdded(ctx *model.Context, forms map[int]bool) error {
	for n := ctx.PageCount; n >= 1; n-- {
		pg, ref, inherited, err := ctx.PageDict(n, false)
		if err != nil || pg == nil || ref == nil {
			return err
		}
		resources, err := ctx.DereferenceDict(pg["Resources"])
		if err != nil || resources == nil {
			resources = inherited.Resources
		}
		objects, err := ctx.DereferenceDict(resources["XObject"])
		if err != nil {
			continue
		}
		form, ok := objects[formerName].(types.IndirectRef)
		if !(ok && forms[form.ObjectNumber.Value()]) && pg.BooleanEntry(addedKey) == nil {
			continue
		}
		parent, err := ctx.DereferenceDict(pg["Parent"])
		if err != nil {
			return err
		}
		kids, err := ctx.DereferenceArray(parent["Kids"])
		if err != nil {
			return err
		}
		var left types.Array
		for _, k := range kids {
			if k != *ref {
				left = append(left, k)
			}
		}
		parent["Kids"] = left
		for o := pg["Parent"]; o != nil; {
			d, err := ctx.DereferenceDict(o)
			if err != nil || d == nil {
				return err
			}
			if count := d.IntEntry("Count"); count != nil {
				d["Count"] = types.Integer(*count - 1)
			}
			if r, ok := o.(types.IndirectRef); ok {
				ctx.Write.IncrementWithObjNr(r.ObjectNumber.Value())
			}
			o = d["Parent"]
		}
	}
	return nil
}
