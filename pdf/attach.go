package pdf

import (
	"crypto/md5"
	"fmt"
	"maps"
	"slices"
	"strings"
	"unicode/utf16"

	"readymargin/core/annotation"
	"readymargin/core/document"
	"readymargin/core/page"

	"github.com/pdfcpu/pdfcpu/pkg/pdfcpu/types"
)

// attach adds files to the document (ISO 32000-2, 7.11.4): each in the catalog's tree
// of embedded files, and where it has a place on a page with an annotation there
// (12.5.6.15), which opens it and paints nothing over what is printed.
func (p *printer) attach(all []composedFile) error {
	if len(all) == 0 {
		return nil
	}
	root, err := p.ctx.Catalog()
	if err != nil {
		return err
	}
	trees, err := p.ctx.DereferenceDict(root["Names"])
	if err != nil {
		return err
	}
	names := types.Array{}
	slices.SortFunc(all, func(a, b composedFile) int { return strings.Compare(a.Name, b.Name) })
	for _, f := range all {
		spec, err := p.fileSpec(f)
		if err != nil {
			return err
		}
		names = append(names, text(f.Name), spec)
		if f.Page < 1 || f.Page > p.ctx.PageCount {
			continue
		}
		if err := p.fileSign(f, spec); err != nil {
			return err
		}
	}
	ref, err := p.add(types.Dict{"Names": names})
	if err != nil {
		return err
	}
	mine := types.Dict{}
	maps.Copy(mine, trees)
	mine["EmbeddedFiles"] = ref // what students get carries none of its own
	root["Names"] = mine
	return nil
}

// fileSpec adds a file and what describes it.
func (p *printer) fileSpec(f composedFile) (types.IndirectRef, error) {
	sum := md5.Sum(f.Data) // as 7.11.4.1, table 45 wants it
	stream, err := p.addStream(f.Data, types.Dict{
		"Type": types.Name("EmbeddedFile"), "Subtype": types.Name(strings.ReplaceAll(f.Type, "/", "#2F")),
		"Params": types.Dict{"Size": types.Integer(len(f.Data)), "CheckSum": types.HexLiteral(fmt.Sprintf("%X", sum))},
	}, nil)
	if err != nil {
		return stream, err
	}
	return p.add(types.Dict{
		"Type": types.Name("Filespec"), "F": text(f.Name), "UF": text(f.Name), "Desc": text(f.Says),
		"EF": types.Dict{"F": stream, "UF": stream}, "AFRelationship": types.Name("Supplement"),
	})
}

// fileSign puts the annotation of a file on its page.
func (p *printer) fileSign(f composedFile, spec types.IndirectRef) error {
	dict, ref, _, err := p.ctx.PageDict(f.Page, false)
	if err != nil {
		return fmt.Errorf("%w: page %d: %v", document.ErrDamaged, f.Page, err)
	}
	rect := types.NewNumberArray(f.Rect.Min.X, f.Rect.Min.Y, f.Rect.Max.X, f.Rect.Max.Y)
	look, err := p.addStream([]byte{}, types.Dict{"Type": types.Name("XObject"), "Subtype": types.Name("Form"), "BBox": types.NewNumberArray(0, 0, 1, 1)}, nil)
	if err != nil {
		return err
	}
	d := types.Dict{
		"Type": types.Name("Annot"), "Subtype": types.Name("FileAttachment"), "Rect": rect, "FS": spec, "Contents": text(f.Says),
		"NM": text(signName + f.Name), "T": text(f.By), "F": types.Integer(4), "Name": types.Name("Tag"), "P": *ref, "AP": types.Dict{"N": look},
	}
	if !f.When.IsZero() { // of what a teacher says on a sheet it is not told when
		d["M"], d["CreationDate"] = text(annotation.Date(f.When)), text(annotation.Date(f.When))
	}
	sign, err := p.add(d)
	if err != nil {
		return err
	}
	annots, err := p.ctx.DereferenceArray(dict["Annots"])
	if err != nil {
		return err
	}
	dict["Annots"] = append(slices.Clone(annots), sign)
	p.ctx.Write.IncrementWithObjNr(ref.ObjectNumber.Value())
	return nil
}

// signName begins the names of annotations that printing adds.
const signName = "ReadyMargin "

// text is a text string (ISO 32000-2, 7.9.2.2): as it stands where ASCII has all its
// letters, which PDFDocEncoding has in their places (annex D.3), else UTF-16.
func text(s string) types.Object {
	if !strings.ContainsFunc(s, func(r rune) bool { return r < 0x20 && r != '\n' && r != '\t' || r > 0x7e }) {
		return types.StringLiteral(escapes.Replace(s))
	}
	var b strings.Builder
	b.WriteString("FEFF")
	for _, u := range utf16.Encode([]rune(s)) {
		fmt.Fprintf(&b, "%04X", u)
	}
	return types.HexLiteral(b.String())
}

// A composedFile is attached to the document.
type composedFile struct {
	document.Attached
	Rect page.Rect // of its sign, in the user space of its page
}

// escapes are those of strings in parentheses (ISO 32000-2, table 3).
var escapes = strings.NewReplacer(`\`, `\\`, "(", `\(`, ")", `\)`, "\n", `\n`, "\t", `\t`)
