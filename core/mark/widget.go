package mark

import (
	"errors"
	"slices"
	"unicode/utf8"

	"readymargin/core/page"
)

// Widget is what was filled into a form field of the sheet: its value, which
// goes back into the field when the sheet leaves as a file, and how it looks.
type Widget struct {
	Field  string     `json:"field"`          // its full name (ISO 32000-2, 12.7.4.2)
	Values []string   `json:"values"`         // one, but for a list of which several may be chosen
	Rect   [4]float64 `json:"rect"`           // left, top, right, bottom
	Sign   string     `json:"sign,omitempty"` // of a button that is on: check, cross or dot
	Text   *FreeText  `json:"text,omitempty"` // of any other field, as it is set
}

func (*Widget) Kind() string               { return "widget" }
func (w *Widget) accept(m Mark, v Visitor) { v.Widget(m, w) }

func (w *Widget) Bounds() page.Rect {
	r := rectOf(w.Rect)
	if w.Text != nil {
		r = r.Union(w.Text.Bounds())
	}
	return r
}

// Moved, Fitted, Turned and Restyled return the widget: it stands where the
// sheet has its field.
func (w *Widget) Moved(page.Point) Body           { return w }
func (w *Widget) Fitted(_, _ page.Rect) Body      { return w }
func (w *Widget) Turned(page.Point, float64) Body { return w }
func (w *Widget) Restyled(Style) Body             { return w }

func (w *Widget) Distance(p page.Point) float64 { return rectOf(w.Rect).Distance(p) }

func (w *Widget) check() error {
	switch {
	case w.Field == "" || utf8.RuneCountInString(w.Field) > 500:
		return invalid("field %q", w.Field)
	case len(w.Values) == 0 || len(w.Values) > 200:
		return invalid("%d values", len(w.Values))
	case !slices.Contains([]string{"", "check", "cross", "dot"}, w.Sign):
		return invalid("sign %q", w.Sign)
	}
	for _, v := range w.Values {
		if err := textOK(v); err != nil {
			return err
		}
	}
	if w.Text != nil {
		if err := w.Text.check(); err != nil {
			return err
		}
	}
	return errors.Join(textOK(w.Field), onPaper(w.Bounds()))
}
