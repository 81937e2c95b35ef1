// Package annotation knows the markup annotations of ISO 32000-2, 12.5.6, and
// which of them a mark is taken away as and which mark one becomes that is
// brought in. Names are the standard's. It does not know how a file is written:
// a PDF has annotations in the user space of its pages and an XFDF beside them;
// here all lengths are points in page space.
package annotation

import (
	"time"

	"readymargin/core/mark"
	"readymargin/core/page"
)

// A Subtype is a kind of annotation (ISO 32000-2, table 171).
type Subtype string

// The kinds that are understood.
const (
	Text      Subtype = "Text"
	FreeText  Subtype = "FreeText"
	Line      Subtype = "Line"
	Square    Subtype = "Square"
	Circle    Subtype = "Circle"
	Polygon   Subtype = "Polygon"
	PolyLine  Subtype = "PolyLine"
	Highlight Subtype = "Highlight"
	Underline Subtype = "Underline"
	Squiggly  Subtype = "Squiggly"
	StrikeOut Subtype = "StrikeOut"
	Caret     Subtype = "Caret"
	Stamp     Subtype = "Stamp"
	Ink       Subtype = "Ink"
)

// A Layer is the optional content (ISO 32000-2, 8.11) that an annotation
// belongs to in files that are taken away, "" for none.
type Layer string

// The layers there are.
const (
	Work     Layer = "Work"
	Feedback Layer = "Feedback"
)

// Tagged begins the names of annotations that show points. They are written down
// elsewhere, so that they are no marks when a file comes back.
const Tagged = "points-"

// An Annotation is what the standard lets one say of a mark. What is zero is
// not said.
type Annotation struct {
	Subtype  Subtype
	Page     int         // from 1
	Rect     page.Rect   // Rect, with all that is painted in it
	Inner    page.Rect   // of a box or an ellipse what its border fills, of a text its edge: Rect without RD; empty for none
	Name     string      // NM, unique on its page
	Author   string      // T
	Subject  string      // Subj
	Contents string      // Contents
	Rich     string      // RC: XHTML
	Created  time.Time   // CreationDate
	Changed  time.Time   // M
	Color    mark.Color  // C
	Interior mark.Color  // IC
	Opacity  float64     // CA; 0 for 1
	Width    float64     // BS or Border, points; -1 for no border
	Quads    []page.Quad // QuadPoints, corners in the order of page.Quad
	InkList  [][]page.Point
	Vertices []page.Point // of a Line both ends
	Endings  [2]string    // LE
	Icon     string       // Name, of a Text or a Stamp
	Font     string       // of DA
	Size     float64      // of DA, points
	Letters  mark.Color   // of DA
	Align    int          // Q: 0 left, 1 centre, 2 right
	ReplyTo  string       // NM of IRT
	Group    bool         // RT is Group
	State    string       // State
	Layer    Layer
	Hidden   bool // not to be seen, on the screen or printed
	Looks    bool // it brings an appearance
	Popup    bool // it has something to be read in a window of its own
	At       int  // its place among those of its page in the file, from 0

	// Own is the mark as it is kept, in JSON, for what the standard has no room for.
	// It counts as long as all else still says the same.
	Own string
	// Mark is what it shows, and Number the note's: a file gets its appearance of them.
	Mark   *mark.Mark
	Number int
}

// Flags of annotations (ISO 32000-2, table 167).
const (
	FlagHidden   = 1 << 1
	FlagPrint    = 1 << 2
	FlagNoRotate = 1 << 4
	FlagNoView   = 1 << 5
)
