package mark

import "slices"

// Instruments are those that an assignment can leave out. Picking and erasing
// are always there; looking words up makes no mark.
var Instruments = []string{"type", "highlighter", "underline", "crossout", "pen", "shape", "picture", "look-up"}

// Offers reports whether an instrument is among those offered; none are all.
func Offers(instruments []string, name string) bool {
	return len(instruments) == 0 || slices.Contains(instruments, name)
}

// madeWith says with which of the Instruments a kind of mark is made. A stroke
// of the pen can become a neat shape, and a tick is typed into a box as well
// as stamped. What nobody can leave out is made with none.
var madeWith = map[string][]string{
	"freetext": {"type"}, "widget": {"type"}, "stamp": {"type", "shape"},
	"highlight": {"highlighter"}, "underline": {"underline"}, "strikeout": {"crossout"},
	"ink": {"pen"}, "line": {"shape", "pen"}, "polyline": {"shape", "pen"}, "square": {"shape", "pen"}, "circle": {"shape", "pen"},
	"picture": {"picture"}, "note": nil, "reply": nil, "paper": nil,
}

// Offered reports whether m can be made when those instruments are offered;
// none are all.
func (m Mark) Offered(instruments []string) bool {
	with := madeWith[m.Body.Kind()]
	if i, ok := m.Body.(*Ink); ok && i.Wash {
		with = madeWith["highlight"]
	}
	return len(instruments) == 0 || len(with) == 0 || slices.ContainsFunc(with, func(i string) bool { return slices.Contains(instruments, i) })
}
