package demo

import (
	"bytes"

	"github.com/pdfcpu/pdfcpu/pkg/api"
	"github.com/pdfcpu/pdfcpu/pkg/pdfcpu/model"
	"github.com/pdfcpu/pdfcpu/pkg/pdfcpu/types"
)

// A field of the form, by the corner of its box from the top of the page.
type field struct {
	name, says, kind string // kind is short, long, comb, tick, one, choice or list
	x, y, w, h       float64
	options          []string
	most             int
}

// PassagePlan is the worksheet with form fields, one of every kind.
func PassagePlan() ([]byte, error) {
	s := newSheet()
	s.title("Passage plan")
	s.question(136, "1.", "The boat and the day")
	s.say(74, 166, 12, "", "Name of the boat")
	s.say(330, 166, 12, "", "Call sign")
	s.question(216, "2.", "You leave on the")
	s.say(206, 216, 12, "", "flood")
	s.say(276, 216, 12, "", "ebb, from")
	s.question(262, "3.", "On board are (tick what you have checked):")
	for i, what := range []string{"lifejackets", "flares", "a charged radio", "the tide table"} {
		s.say(98, 290+24*float64(i), 12, "", what)
	}
	s.question(402, "4.", "Sea marks that you pass (one or several):")
	s.question(506, "5.", "Describe the way from the pier to the safe water mark, with courses and depths.")
	fields := []field{
		{"boat", "Name of the boat", "short", 178, 148, 130, 24, nil, 0},
		{"call sign", "Call sign", "comb", 392, 148, 120, 24, nil, 5},
		{"tide", "on the flood", "one", 184, 203, 16, 16, []string{"flood"}, 0},
		{"tide", "on the ebb", "one", 254, 203, 16, 16, []string{"ebb"}, 0},
		{"port", "Port of departure", "choice", 336, 199, 150, 24, []string{"Skerrymouth", "Carrick", "Port Ellery"}, 0},
		{"marks", "Sea marks that you pass", "list", 74, 414, 220, 64, []string{"the white tower", "the Carrick beacon", "the bar buoy", "the safe water mark"}, 0},
		{"way", "The way to the safe water mark", "long", 74, 520, 466, 120, nil, 0},
	}
	for i, what := range []string{"lifejackets", "flares", "radio", "tide table"} {
		fields = append(fields, field{what, what, "tick", 74, 278 + 24*float64(i), 16, 16, nil, 0})
	}
	b, err := s.bytes()
	if err != nil {
		return nil, err
	}
	return withFields(b, fields)
}

// withFields adds fields to the first page of a file (ISO 32000-2, 12.7).
func withFields(file []byte, fields []field) ([]byte, error) {
	api.DisableConfigDir()
	ctx, err := api.ReadValidateAndOptimize(bytes.NewReader(file), model.NewDefaultConfiguration())
	if err != nil {
		return nil, err
	}
	pg, pageRef, inherited, err := ctx.PageDict(1, false)
	if err != nil {
		return nil, err
	}
	f := form{Context: ctx, page: *pageRef, height: inherited.MediaBox.Height(), groups: map[string]types.Dict{}}
	for _, one := range fields {
		f.add(one)
	}
	pg["Annots"] = f.widgets
	root, err := ctx.Catalog()
	if err != nil {
		return nil, err
	}
	root["AcroForm"] = types.Dict{"Fields": f.fields, "DA": types.StringLiteral("/Helv 12 Tf 0 g"),
		"DR": types.Dict{"Font": types.Dict{"Helv": types.Dict{"Type": types.Name("Font"), "Subtype": types.Name("Type1"), "BaseFont": types.Name("Helvetica")}}}}
	var out bytes.Buffer
	if f.err != nil {
		return nil, f.err
	}
	err = api.WriteContext(ctx, &out)
	return out.Bytes(), err
}

type form struct {
	*model.Context
	page            types.IndirectRef
	height          float64
	fields, widgets types.Array
	groups          map[string]types.Dict // of buttons that exclude each other
	err             error
}

func (f *form) ref(o types.Object) types.IndirectRef {
	ref, err := f.IndRefForNewObject(o)
	if err != nil {
		f.err = err
		return types.IndirectRef{}
	}
	return *ref
}

func (f *form) add(o field) {
	d := types.Dict{"Type": types.Name("Annot"), "Subtype": types.Name("Widget"), "P": f.page, "F": types.Integer(4), "TU": types.StringLiteral(o.says), "DA": types.StringLiteral("/Helv 12 Tf 0 g"),
		"Rect": types.NewNumberArray(o.x, f.height-o.y-o.h, o.x+o.w, f.height-o.y), "MK": types.Dict{"BC": types.NewNumberArray(0.5, 0.55, 0.65)}}
	name := types.StringLiteral(o.name)
	empty := f.look(o, "")
	set := func(kind string, flags int) {
		d["FT"], d["T"], d["Ff"], d["AP"] = types.Name(kind), name, types.Integer(flags), types.Dict{"N": empty}
	}
	var options types.Array
	for _, v := range o.options {
		options = append(options, types.StringLiteral(v))
	}
	switch o.kind {
	case "short":
		set("Tx", 1<<23) // it does not scroll
	case "long":
		set("Tx", 1<<12)
	case "comb":
		set("Tx", 1<<24)
		d["MaxLen"] = types.Integer(o.most)
	case "choice":
		set("Ch", 1<<17)
		d["Opt"] = options
	case "list":
		set("Ch", 1<<21)
		d["Opt"] = options
	case "tick", "one":
		state := "Yes"
		if o.kind == "one" {
			state = o.options[0]
		}
		d["AP"] = types.Dict{"N": types.Dict{state: f.look(o, "3 3 m 13 13 l 13 3 m 3 13 l S "), "Off": empty}}
		d["AS"] = types.Name("Off")
		if o.kind == "tick" {
			d["FT"], d["T"] = types.Name("Btn"), name
			break
		}
		group := f.groups[o.name]
		if group == nil {
			group = types.Dict{"FT": types.Name("Btn"), "T": name, "Ff": types.Integer(1<<15 | 1<<14), "Kids": types.Array{}}
			f.groups[o.name] = group
			f.fields = append(f.fields, f.ref(group))
		}
		d["Parent"] = f.fields[len(f.fields)-1]
		w := f.ref(d)
		group["Kids"] = append(group["Kids"].(types.Array), w)
		f.widgets = append(f.widgets, w)
		return
	}
	w := f.ref(d)
	f.fields, f.widgets = append(f.fields, w), append(f.widgets, w)
}

// look is how a field is seen: its border, and what is in it.
func (f *form) look(o field, content string) types.IndirectRef {
	ops := []byte("0.5 0.55 0.65 RG 0.8 w 0.4 0.4 " + types.Float(o.w-0.8).String() + " " + types.Float(o.h-0.8).String() + " re S 0.12 0.16 0.29 RG 1.6 w " + content)
	n := int64(len(ops))
	sd := types.NewStreamDict(types.Dict{"Type": types.Name("XObject"), "Subtype": types.Name("Form"), "BBox": types.NewNumberArray(0, 0, o.w, o.h), "Resources": types.Dict{}, "Length": types.Integer(n)}, 0, &n, nil, nil)
	sd.Raw = ops
	return f.ref(sd)
}
