package pdf

import (
	"bytes"
	"encoding/binary"
	"fmt"
	"regexp"
	"slices"
	"strings"

	"github.com/pdfcpu/pdfcpu/pkg/pdfcpu/model"
	"github.com/pdfcpu/pdfcpu/pkg/pdfcpu/types"

	"readymargin/core/document"
	"readymargin/core/page"
)

// assemble makes one file of pages of others. The file is written anew and
// takes from the old ones only what a page needs to be shown, read aloud and
// filled in: its content, of its resources those that the content names, its
// own fields, its place in the structure, its entries of the outline, and links
// to the outside or to other pages that are in it. Whatever hangs on a page that is not, or on a file as a
// whole (attachments, metadata, scripts, names, thumbnails, comments,
// earlier revisions), is not reached from there and so is in no byte of the
// new file.
//
// A file that cannot be taken apart is asked for anew, as rewritten makes it; a
// page of which that is not possible either comes as a picture of itself.
func assemble(files [][]byte, leaves []document.PageRef, r rescue) ([]byte, error) {
	b := &assembly{names: map[string]bool{}, pageDicts: map[types.IndirectRef]types.Dict{}}
	catalog, tree := b.reserve(), b.reserve()
	sources := make([]*sourceFile, len(files))
	kids := types.Array{}
	pages := make([]types.IndirectRef, len(leaves))
	for i, l := range leaves {
		if sources[l.File] == nil {
			sources[l.File] = b.openAnyhow(files[l.File], l.File, r)
		}
		pages[i] = b.reserve()
		kids = append(kids, pages[i])
		v := sources[l.File]
		if l.Page < 1 || l.Page > len(v.numbers) {
			continue
		}
		number := v.numbers[l.Page-1]
		if _, twice := v.pages[number]; !twice {
			v.pages[number] = pages[i]
		}
	}
	for i, l := range leaves {
		p, err := sources[l.File].pageAnyhow(l, pages[i], tree, r)
		if err != nil {
			return nil, err
		}
		b.pageDicts[pages[i]] = p
	}
	b.put(tree, types.Dict{"Type": types.Name("Pages"), "Kids": kids, "Count": types.Integer(len(kids))})
	root := types.Dict{"Type": types.Name("Catalog"), "Pages": tree}
	if err := b.finish(root, sources); err != nil {
		return nil, err
	}
	b.structure(root, sources)
	b.contents(root, sources)
	for ref, p := range b.pageDicts {
		b.put(ref, p)
	}
	b.put(catalog, root)
	return b.file(catalog), nil
}

// A rescue helps where a file is odd: it opens what other readers open.
type rescue interface {
	// rewritten returns the i-th file as it writes it anew.
	rewritten(i int, file []byte) ([]byte, error)
	// pictured returns a page of the i-th file as a JPEG, with its size in
	// points and in pixels.
	pictured(i int, file []byte, number int) (picture []byte, size page.Point, w, h int, err error)
}

// openAnyhow opens a file, or as it is written anew; one that cannot be taken
// apart at all has no pages.
func (b *assembly) openAnyhow(file []byte, i int, r rescue) *sourceFile {
	v, err := b.open(file)
	if err != nil {
		if again, rewriteErr := r.rewritten(i, file); rewriteErr == nil {
			v, err = b.open(again)
		}
	}
	if err != nil {
		v = &sourceFile{assembly: b, pages: map[int]types.IndirectRef{}}
	}
	v.file = file
	return v
}

// pageAnyhow returns a page, or one with its picture.
func (v *sourceFile) pageAnyhow(l document.PageRef, self, tree types.IndirectRef, r rescue) (types.Dict, error) {
	if l.Page >= 1 && l.Page <= len(v.numbers) {
		if p, err := v.pageSafely(l, self, tree); err == nil {
			return p, nil
		}
	}
	picture, size, w, h, err := r.pictured(l.File, v.file, l.Page)
	if err != nil {
		return nil, err
	}
	image := v.add(types.StreamDict{Raw: picture, Dict: types.Dict{
		"Type": types.Name("XObject"), "Subtype": types.Name("Image"), "Width": types.Integer(w), "Height": types.Integer(h),
		"ColorSpace": types.Name("DeviceRGB"), "BitsPerComponent": types.Integer(8), "Filter": types.Name("DCTDecode"), "Length": types.Integer(len(picture)),
	}})
	content := fmt.Sprintf("q %.4f 0 0 %.4f 0 0 cm /Picture Do Q", size.X, size.Y)
	return types.Dict{
		"Type": types.Name("Page"), "Parent": tree, "Rotate": types.Integer((l.Turn%360 + 360) % 360), "MediaBox": types.NewNumberArray(0, 0, size.X, size.Y),
		"Contents":  v.add(types.StreamDict{Raw: []byte(content), Dict: types.Dict{"Length": types.Integer(len(content))}}),
		"Resources": types.Dict{"XObject": types.Dict{"Picture": image}},
	}, nil
}

// pageSafely is page; a panic of the library is an error of it.
func (v *sourceFile) pageSafely(l document.PageRef, self, tree types.IndirectRef) (p types.Dict, err error) {
	defer func() {
		if r := recover(); r != nil {
			err = fmt.Errorf("%w: %v", document.ErrDamaged, r)
		}
	}()
	return v.page(l, self, tree)
}

// An assembly collects the objects of the new file.
type assembly struct {
	objects   []string
	fields    types.Array
	names     map[string]bool                  // of fields, which are the whole file's
	pageDicts map[types.IndirectRef]types.Dict // written last
}

func (b *assembly) reserve() types.IndirectRef {
	b.objects = append(b.objects, "null")
	return *types.NewIndirectRef(len(b.objects), 0)
}

func (b *assembly) put(at types.IndirectRef, o types.Object) {
	body := "null"
	switch o := o.(type) {
	case nil:
	case types.StreamDict:
		body = o.Dict.PDFString() + "\nstream\n" + string(o.Raw) + "\nendstream"
	default:
		body = o.PDFString()
	}
	b.objects[at.ObjectNumber-1] = body
}

func (b *assembly) add(o types.Object) types.IndirectRef {
	r := b.reserve()
	b.put(r, o)
	return r
}

// file writes the objects with a cross-reference table (ISO 32000-2, 7.5).
func (b *assembly) file(catalog types.IndirectRef) []byte {
	var out bytes.Buffer
	out.WriteString("%PDF-1.7\n%\xe2\xe3\xcf\xd3\n")
	at := make([]int, len(b.objects))
	for i, o := range b.objects {
		at[i] = out.Len()
		fmt.Fprintf(&out, "%d 0 obj\n%s\nendobj\n", i+1, o)
	}
	start := out.Len()
	fmt.Fprintf(&out, "xref\n0 %d\n0000000000 65535 f \n", len(at)+1)
	for _, a := range at {
		fmt.Fprintf(&out, "%010d 00000 n \n", a)
	}
	fmt.Fprintf(&out, "trailer\n<</Size %d/Root %s>>\nstartxref\n%d\n%%%%EOF\n", len(at)+1, catalog.PDFString(), start)
	return out.Bytes()
}

// finish puts what belongs to the file as a whole into its root: the form
// with the fields that were bound, and the layers that pages show.
func (b *assembly) finish(root types.Dict, sources []*sourceFile) error {
	form := types.Dict{"Fields": b.fields}
	groups, on, off := types.Array{}, types.Array{}, types.Array{}
	for _, v := range sources {
		if v == nil || v.ctx == nil {
			continue
		}
		if err := v.form(form); err != nil {
			return err
		}
		if err := v.layers(&groups, &on, &off); err != nil {
			return err
		}
	}
	if len(b.fields) > 0 {
		root["AcroForm"] = form
	}
	if len(groups) > 0 {
		root["OCProperties"] = types.Dict{"OCGs": groups, "D": types.Dict{"ON": on, "OFF": off}}
	}
	return nil
}

// A sourceFile is one of the old files.
type sourceFile struct {
	*assembly
	file    []byte
	ctx     *model.Context
	numbers []int                     // object numbers of every page, bound or not
	moved   map[int]types.IndirectRef // old object numbers to new references
	pages   map[int]types.IndirectRef // object numbers of the bound pages to new references
	forms   map[int]*group            // fields of several widgets, by old object number
	dests   map[string]types.Object   // named places, once they are asked for
	annots  map[int]placed            // annotations that came along, by old object number
}

// A placed object is one that was written and may be added to.
type placed struct {
	ref  types.IndirectRef
	dict types.Dict
}

func (b *assembly) open(file []byte) (*sourceFile, error) {
	ctx, err := objects(file)
	if err != nil {
		return nil, err
	}
	v := &sourceFile{assembly: b, ctx: ctx, moved: map[int]types.IndirectRef{}, pages: map[int]types.IndirectRef{}, forms: map[int]*group{}, annots: map[int]placed{}}
	for n := range ctx.PageCount {
		_, ref, _, err := ctx.PageDict(n+1, false)
		if err != nil || ref == nil {
			return nil, fmt.Errorf("%w: page %d: %v", document.ErrDamaged, n+1, err)
		}
		v.numbers = append(v.numbers, ref.ObjectNumber.Value())
	}
	return v, nil
}

func (v *sourceFile) page(l document.PageRef, self, tree types.IndirectRef) (types.Dict, error) {
	old, _, inherited, err := v.ctx.PageDict(l.Page, false)
	if err != nil {
		return nil, err
	}
	out := types.Dict{"Type": types.Name("Page"), "Parent": tree, "Rotate": types.Integer(((inherited.Rotate+l.Turn)%360 + 360) % 360)}
	if inherited.MediaBox != nil {
		out["MediaBox"] = inherited.MediaBox.Array()
	}
	if inherited.CropBox != nil {
		out["CropBox"] = inherited.CropBox.Array()
	}
	for _, key := range []string{"Contents", "UserUnit", "Group"} {
		if o, found := old.Find(key); found {
			if out[key], err = v.copy(o); err != nil {
				return nil, err
			}
		}
	}
	content, err := v.ctx.PageContent(old, l.Page)
	if err != nil && err != model.ErrNoContent {
		return nil, err
	}
	resources, err := v.ctx.DereferenceDict(old["Resources"])
	if err != nil {
		return nil, err
	}
	if resources == nil {
		resources = inherited.Resources
	}
	if out["Resources"], err = v.resources(resources, content); err != nil {
		return nil, err
	}
	annots, err := v.ctx.DereferenceArray(old["Annots"])
	if err != nil || len(annots) == 0 {
		return out, nil
	}
	kept := types.Array{}
	for _, a := range annots {
		ref, err := v.annotation(a, self)
		if err != nil {
			return nil, err
		}
		if ref != nil {
			kept = append(kept, *ref)
		}
	}
	out["Annots"] = kept
	return out, nil
}

// named matches the names in a content stream. Matching too much, within a
// string say, keeps a resource that nobody uses; it never loses one.
var named = regexp.MustCompile(`/([^\s()<>\[\]{}/%]+)`)

func namesIn(content []byte) map[string]bool {
	out := map[string]bool{}
	for _, m := range named.FindAllSubmatch(content, -1) {
		name := string(m[1])
		if decoded, err := types.DecodeName(name); err == nil {
			name = decoded
		}
		out[name] = true
	}
	return out
}

// resources copies of old what content names. Many programs give all pages
// one dictionary: taken whole, it would carry along the other pages' pictures.
func (v *sourceFile) resources(old types.Dict, content []byte) (types.Dict, error) {
	names, out := namesIn(content), types.Dict{}
	// A form without resources of its own uses the page's (ISO 32000-1, table 95).
	objects, err := v.ctx.DereferenceDict(old["XObject"])
	if err != nil {
		return nil, err
	}
	for name, o := range objects {
		if !names[name] {
			continue
		}
		sd, _, err := v.ctx.DereferenceStreamDict(o)
		if err != nil || sd == nil || sd.Dict["Resources"] != nil || !isForm(sd) {
			continue
		}
		if inner, err := contentOf(sd); err == nil {
			for n := range namesIn(inner) {
				names[n] = true
			}
		}
	}
	for kind, o := range old {
		o, err := v.ctx.Dereference(o)
		if err != nil {
			return nil, err
		}
		entries, ok := o.(types.Dict)
		if !ok {
			if kind == "ProcSet" {
				out[kind] = o
			}
			continue
		}
		kept := types.Dict{}
		for name, e := range entries {
			if !names[name] {
				continue
			}
			if kept[name], err = v.copy(e); err != nil {
				return nil, err
			}
		}
		if len(kept) > 0 {
			out[kind] = kept
		}
	}
	return out, nil
}

func isForm(sd *types.StreamDict) bool {
	return sd.Subtype() != nil && *sd.Subtype() == "Form"
}

func contentOf(sd *types.StreamDict) ([]byte, error) {
	own := *sd
	if err := own.Decode(); err != nil {
		return nil, err
	}
	return own.Content, nil
}

// left are the entries that are never taken along: what is about an object
// and not part of its look, and what leads back up to everything else.
var left = []string{"Metadata", "PieceInfo", "LastModified", "StructParent", "StructParents", "AA", "JS", "Thumb", "OPI", "Measure", "PtData", "AF", "Ref"}

// copy returns an object with its references renumbered, and brings along
// what they lead to. A reference to a page that is not bound becomes null.
func (v *sourceFile) copy(o types.Object) (types.Object, error) {
	switch o := o.(type) {
	case types.IndirectRef:
		return v.follow(o)
	case types.Dict:
		return v.dict(o)
	case types.Array:
		out := make(types.Array, len(o))
		for i := range o {
			var err error
			if out[i], err = v.copy(o[i]); err != nil {
				return nil, err
			}
		}
		return out, nil
	}
	return o, nil
}

func (v *sourceFile) dict(d types.Dict) (types.Dict, error) {
	out := types.Dict{}
	for k, e := range d {
		if slices.Contains(left, k) {
			continue
		}
		c, err := v.copy(e)
		if err != nil {
			return nil, err
		}
		if c != nil {
			out[k] = c
		}
	}
	return out, nil
}

func (v *sourceFile) follow(ref types.IndirectRef) (types.Object, error) {
	number := ref.ObjectNumber.Value()
	if slices.Contains(v.numbers, number) {
		if bound, ok := v.pages[number]; ok {
			return bound, nil
		}
		return nil, nil
	}
	if r, ok := v.moved[number]; ok {
		return r, nil
	}
	o, err := v.ctx.Dereference(ref)
	if err != nil {
		return nil, err
	}
	if o == nil {
		return nil, nil
	}
	r := v.reserve()
	v.moved[number] = r
	var c types.Object
	if sd, ok := o.(types.StreamDict); ok {
		c, err = v.stream(sd)
	} else {
		c, err = v.copy(o)
	}
	if err != nil {
		return nil, err
	}
	v.put(r, c)
	return r, nil
}

// stream copies a stream; one that paints with resources gets those it names.
func (v *sourceFile) stream(sd types.StreamDict) (types.Object, error) {
	entries := sd.Dict.Clone().(types.Dict)
	delete(entries, "Resources")
	d, err := v.dict(entries)
	if err != nil {
		return nil, err
	}
	d["Length"] = types.Integer(len(sd.Raw))
	if o := sd.Dict["Resources"]; o != nil {
		resources, err := v.ctx.DereferenceDict(o)
		if err != nil {
			return nil, err
		}
		content, err := contentOf(&sd)
		if err != nil {
			return nil, err
		}
		if d["Resources"], err = v.resources(resources, content); err != nil {
			return nil, err
		}
	}
	return types.StreamDict{Dict: d, Raw: sd.Raw}, nil
}

// carriers are annotations that carry a file, run something, or only serve another.
var carriers = []string{"FileAttachment", "Sound", "Movie", "Screen", "RichMedia", "3D", "Popup", "PrinterMark", "TrapNet"}

// comments are annotations that somebody says something with.
var comments = []string{"Text", "Caret"}

// aside are what annotations that are seen say beside it: who made them, when,
// and a remark. What stands in free text is its look.
var aside = []string{"T", "Contents", "RC", "Subj", "CreationDate", "M", "NM", "RT", "State", "StateModel"}

// annotation copies one annotation of a bound page, or returns nil for one
// that is left behind.
func (v *sourceFile) annotation(o types.Object, self types.IndirectRef) (*types.IndirectRef, error) {
	d, err := v.ctx.DereferenceDict(o)
	if err != nil || d == nil || d.Subtype() == nil {
		return nil, err
	}
	kind := *d.Subtype()
	if slices.Contains(carriers, kind) || slices.Contains(comments, kind) {
		return nil, nil
	}
	own := d.Clone().(types.Dict)
	for _, k := range []string{"P", "Parent", "Popup", "IRT", "A", "Dest", "Kids"} {
		delete(own, k)
	}
	switch kind {
	case "Link":
		if !v.target(d, own) {
			return nil, nil
		}
	case "Widget":
		ref, err := v.widget(o, d, own, self)
		return ref, err
	default:
		for _, k := range aside {
			if kind != "FreeText" || k != "Contents" && k != "RC" {
				delete(own, k)
			}
		}
	}
	c, err := v.dict(own)
	if err != nil {
		return nil, err
	}
	c["P"] = self
	ref := v.add(c)
	v.came(o, ref, c)
	return &ref, nil
}

// came notes an annotation that came along, so that the structure finds it.
func (v *sourceFile) came(old types.Object, ref types.IndirectRef, d types.Dict) {
	if r, ok := old.(types.IndirectRef); ok {
		v.annots[r.ObjectNumber.Value()] = placed{ref, d}
	}
}

// target puts where a link leads into own: to an address outside or to a
// bound page. It reports whether there is such a place.
func (v *sourceFile) target(link, own types.Dict) bool {
	action, _ := v.ctx.DereferenceDict(link["A"])
	dest := link["Dest"]
	if action != nil && action.NameEntry("S") != nil {
		switch *action.NameEntry("S") {
		case "URI":
			own["A"] = types.Dict{"S": types.Name("URI"), "URI": action["URI"]}
			return true
		case "GoTo":
			dest = action["D"]
		}
	}
	place, err := v.ctx.Dereference(dest)
	if err != nil {
		return false
	}
	to, ok := place.(types.Array)
	if !ok {
		to = v.destination(place)
	}
	if len(to) == 0 {
		return false
	}
	ref, ok := to[0].(types.IndirectRef)
	if _, bound := v.pages[ref.ObjectNumber.Value()]; !ok || !bound {
		return false
	}
	own["Dest"] = to
	return true
}

// destination returns what a name stands for (ISO 32000-2, 12.3.2.4). The
// names of a file are not taken along, only the places.
func (v *sourceFile) destination(name types.Object) types.Array {
	var key string
	switch n := name.(type) {
	case types.Name:
		key = string(n)
	case types.StringLiteral, types.HexLiteral:
		text, err := v.ctx.DereferenceStringOrHexLiteral(name, model.V10, nil)
		if err != nil {
			return nil
		}
		key = text
	default:
		return nil
	}
	if v.dests == nil {
		v.dests = map[string]types.Object{}
		if old, err := v.ctx.DereferenceDict(v.ctx.RootDict["Dests"]); err == nil {
			for k, o := range old {
				v.dests[k] = o
			}
		}
		if names, err := v.ctx.DereferenceDict(v.ctx.RootDict["Names"]); err == nil && names != nil {
			v.nameTree(names["Dests"], 0)
		}
	}
	o, err := v.ctx.Dereference(v.dests[key])
	if err != nil {
		return nil
	}
	if d, ok := o.(types.Dict); ok {
		o, _ = v.ctx.Dereference(d["D"])
	}
	to, _ := o.(types.Array)
	return to
}

// maxNames bounds the names of a file.
const maxNames = 100_000

// nameTree reads the named places of a file (ISO 32000-2, 7.9.6).
func (v *sourceFile) nameTree(o types.Object, depth int) {
	d, err := v.ctx.DereferenceDict(o)
	if err != nil || d == nil || depth > 20 {
		return
	}
	names, _ := v.ctx.DereferenceArray(d["Names"])
	for i := 0; i+1 < len(names) && len(v.dests) < maxNames; i += 2 {
		if key, err := v.ctx.DereferenceStringOrHexLiteral(names[i], model.V10, nil); err == nil {
			v.dests[key] = names[i+1]
		}
	}
	kids, _ := v.ctx.DereferenceArray(d["Kids"])
	for _, k := range kids {
		v.nameTree(k, depth+1)
	}
}

// A group is a field with several widgets.
type group struct {
	ref   types.IndirectRef
	field types.Dict
	kids  types.Array
}

// widget copies a widget with what it inherits from its fields (ISO 32000-2,
// 12.7.4), so that it stands without those that are left behind.
func (v *sourceFile) widget(o types.Object, d, own types.Dict, self types.IndirectRef) (*types.IndirectRef, error) {
	field, name, number, err := fieldOf(v.ctx, o, d)
	if err != nil {
		return nil, err
	}
	if ft, _ := field["FT"].(types.Name); ft == "" || ft == "Sig" {
		return nil, nil
	}
	shared := d["T"] == nil && number != 0
	for k := range field {
		if k != "TU" || !shared { // of several widgets each has its own name for readers
			delete(own, k)
		}
	}
	if shared && d["TU"] != nil {
		delete(field, "TU")
	}
	delete(own, "T")
	looks, err := v.dict(own)
	if err != nil {
		return nil, err
	}
	looks["P"] = self
	if g := v.forms[number]; shared && g != nil {
		looks["Parent"] = g.ref
		w := v.add(looks)
		v.came(o, w, looks)
		g.kids = append(g.kids, w)
		g.field["Kids"] = g.kids
		v.put(g.ref, g.field)
		return &w, nil
	}
	f, err := v.dict(field)
	if err != nil {
		return nil, err
	}
	f["T"] = types.NewHexLiteral(utf16Text(v.unique(name)))
	if !shared {
		for k, e := range f {
			looks[k] = e
		}
		w := v.add(looks)
		v.came(o, w, looks)
		v.fields = append(v.fields, w)
		return &w, nil
	}
	g := &group{ref: v.reserve(), field: f}
	v.forms[number] = g
	looks["Parent"] = g.ref
	w := v.add(looks)
	v.came(o, w, looks)
	g.kids = types.Array{w}
	g.field["Kids"] = g.kids
	v.put(g.ref, g.field)
	v.fields = append(v.fields, g.ref)
	return &w, nil
}

// fieldOf returns what a widget has of its field and that field's ancestors,
// its fully qualified name, and the object number of the nearest of them that
// has a name.
func fieldOf(ctx *model.Context, annot types.Object, widget types.Dict) (field types.Dict, name string, number int, err error) {
	field = types.Dict{}
	var names []string
	ref, _ := annot.(types.IndirectRef)
	for at, depth := widget, 0; at != nil && depth < 32; depth++ {
		for _, k := range []string{"FT", "Ff", "V", "DV", "DA", "Q", "MaxLen", "Opt", "TU", "TM", "I", "TI"} {
			if e, found := at[k]; found && field[k] == nil {
				field[k] = e
			}
		}
		if t, err := ctx.DereferenceText(at["T"]); err == nil && at["T"] != nil {
			if len(names) == 0 {
				number = ref.ObjectNumber.Value()
			}
			names = append(names, t)
		}
		ref, _ = at["Parent"].(types.IndirectRef)
		if at, err = ctx.DereferenceDict(at["Parent"]); err != nil {
			return nil, "", 0, err
		}
	}
	slices.Reverse(names)
	return field, strings.Join(names, "."), number, nil
}

// unique gives fields of different files different names.
func (b *assembly) unique(name string) string {
	if name == "" {
		name = "field"
	}
	name = strings.ReplaceAll(name, ".", "_") // a full stop would make a hierarchy
	out := name
	for n := 2; b.names[out]; n++ {
		out = fmt.Sprintf("%s %d", name, n)
	}
	b.names[out] = true
	return out
}

// utf16Text writes a text string in UTF-16 with its mark (ISO 32000-2, 7.9.2.2).
func utf16Text(s string) []byte {
	out := []byte{0xfe, 0xff}
	for _, u := range utf16Units(s) {
		out = binary.BigEndian.AppendUint16(out, u)
	}
	return out
}

// form adds what the old form's fields need to be shown: its fonts and how
// letters are set where a field does not say.
func (v *sourceFile) form(form types.Dict) error {
	old, err := v.ctx.DereferenceDict(v.ctx.RootDict["AcroForm"])
	if err != nil || old == nil {
		return nil // a form that cannot be read has no fields either
	}
	for _, k := range []string{"DA", "NeedAppearances"} {
		if o, found := old[k]; found && form[k] == nil {
			form[k] = o
		}
	}
	resources, err := v.ctx.DereferenceDict(old["DR"])
	if err != nil || resources == nil {
		return err
	}
	fonts, err := v.ctx.DereferenceDict(resources["Font"])
	if err != nil || fonts == nil {
		return err
	}
	mine, _ := form["DR"].(types.Dict)
	if mine == nil {
		mine = types.Dict{"Font": types.Dict{}}
		form["DR"] = mine
	}
	for name, f := range fonts {
		if mine["Font"].(types.Dict)[name] != nil {
			continue
		}
		if mine["Font"].(types.Dict)[name], err = v.copy(f); err != nil {
			return err
		}
	}
	return nil
}

// layers adds the optional content groups that came along, shown or hidden as
// they were (ISO 32000-2, 8.11.4.3): without them hidden content would show.
func (v *sourceFile) layers(groups, on, off *types.Array) error {
	old, err := v.ctx.DereferenceDict(v.ctx.RootDict["OCProperties"])
	if err != nil || old == nil {
		return nil
	}
	d, err := v.ctx.DereferenceDict(old["D"])
	if err != nil {
		return err
	}
	all, err := v.ctx.DereferenceArray(old["OCGs"])
	if err != nil {
		return err
	}
	list := func(key string) types.Array { a, _ := v.ctx.DereferenceArray(d[key]); return a }
	hidden, shown := list("OFF"), list("ON")
	for _, o := range all {
		ref, ok := o.(types.IndirectRef)
		moved, came := v.moved[ref.ObjectNumber.Value()]
		if !ok || !came {
			continue
		}
		*groups = append(*groups, moved)
		base := d.NameEntry("BaseState")
		if slices.Contains(hidden, o) || base != nil && *base == "OFF" && !slices.Contains(shown, o) {
			*off = append(*off, moved)
		} else {
			*on = append(*on, moved)
		}
	}
	return nil
}
