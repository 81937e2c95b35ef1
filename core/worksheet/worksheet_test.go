package worksheet

import (
	"errors"
	"fmt"
	"slices"
	"strings"
	"testing"

	"readymargin/core/blank"
	"readymargin/core/heldback"
	"readymargin/core/mark"
	"readymargin/core/page"
	"readymargin/core/points"
)

var brought = Plan{}.Join(0, 3, 0, map[int]heldback.Reason{3: {Kind: heldback.Heading, Heading: "Answers"}})

func TestPlans(t *testing.T) {
	joined := brought.Join(1, 2, 1, nil)
	if got := joined[1]; got.Source != 1 || got.Page != 1 || len(joined) != 5 || joined[4].Proposal == nil {
		t.Fatalf("joined: %v", joined)
	}
	for name, c := range map[string]struct {
		want Plan
		err  error
	}{
		"as it was":         {brought, nil},
		"turned and held":   {Plan{{Source: 0, Page: 3, Turn: 90, Use: Held, Decided: true}, {Page: 1, Use: Sheet}, {Page: 2, Use: Dropped}}, nil},
		"a page less":       {brought[:2], ErrPages},
		"a page twice":      {append(slices.Clone(brought[:2]), brought[0]), ErrPages},
		"a strange page":    {Plan{{Page: 1, Use: Sheet}, {Page: 2, Use: Sheet}, {Page: 9, Use: Sheet}}, ErrPages},
		"half turned":       {Plan{{Page: 1, Use: Sheet, Turn: 45}, {Page: 2, Use: Sheet}, {Page: 3, Use: Sheet}}, ErrLeaf},
		"used for nothing":  {Plan{{Page: 1, Use: "cover"}, {Page: 2, Use: Sheet}, {Page: 3, Use: Sheet}}, ErrLeaf},
		"turned back wards": {Plan{{Page: 1, Use: Sheet, Turn: -90}, {Page: 2, Use: Sheet}, {Page: 3, Use: Sheet}}, ErrLeaf},
	} {
		got, err := brought.Changed(c.want)
		if !errors.Is(err, c.err) {
			t.Errorf("%s: %v, want %v", name, err, c.err)
		}
		if err == nil && got[slices.IndexFunc(got, func(l PageRef) bool { return l.Page == 3 })].Proposal == nil {
			t.Errorf("%s: what was proposed is lost", name)
		}
	}
	if len(brought.Undecided()) != 1 || !brought.SameSheet(brought) {
		t.Error("a file as it was brought in")
	}
	held, err := brought.Changed(Plan{{Page: 1, Use: Sheet}, {Page: 2, Use: Sheet}, {Page: 3, Use: Held, Decided: true}})
	if err != nil || held.SameSheet(brought) || len(held.Undecided()) != 0 || len(held.Of(Held)) != 1 {
		t.Errorf("held: %v %v", held, err)
	}
	again, err := Parse(held.String())
	if err != nil || !again.SameSheet(held) || again[2].Proposal.Heading != "Answers" {
		t.Errorf("read again: %v %v", again, err)
	}
}

func place(r Box, k blank.Kind, e *Expected) Blank {
	return Blank{Rect: r, Baseline: r[3] - 3, Size: 12, Kind: k, Label: "Height", Expected: e}
}

func note(x, y float64) mark.Mark {
	return mark.Mark{ID: "direction1", Page: 1, Body: &mark.Note{At: [2]float64{x, y}, Text: "Read this first."}}
}

func TestGuides(t *testing.T) {
	good := place(Box{10, 10, 90, 28}, blank.Number, &Expected{Number: "4.5", Tolerance: "0.1", Unit: "m"})
	quad := [8]float64{10, 40, 60, 40, 60, 52, 10, 52}
	ask := Question{Number: "1.", Text: "How high?", Rect: Box{10, 8, 200, 22}, Points: 2 * points.One, Words: []Run{{"rocks", [][8]float64{quad}}}}
	with := func(change func(*PageRef)) Plan {
		p := slices.Clone(brought)
		p[0].Blanks, p[0].Questions, p[0].Said = &[]Blank{good}, &[]Question{ask}, []mark.Mark{note(100, 40)}
		change(&p[0])
		return p
	}
	stamp := mark.Mark{ID: "direction2", Page: 1, Body: &mark.Stamp{Name: "tick", Color: "#c22f20", Rect: [4]float64{1, 1, 20, 20}}}
	for name, c := range map[string]struct {
		change func(*PageRef)
		bad    bool
	}{
		"as it should be":     {func(*PageRef) {}, false},
		"a place inside out":  {func(l *PageRef) { l.Blanks = &[]Blank{place(Box{90, 10, 10, 28}, blank.Line, nil)} }, true},
		"a place for nothing": {func(l *PageRef) { l.Blanks = &[]Blank{place(good.Rect, "song", nil)} }, true},
		"a task of its own": {func(l *PageRef) {
			l.Questions = &[]Question{{Rect: ask.Rect, Task: &Task{Kind: blank.Words, Count: 10}}}
		}, false},
		"a task for nothing":   {func(l *PageRef) { l.Questions = &[]Question{{Rect: ask.Rect, Task: &Task{Kind: "song"}}} }, true},
		"points below nothing": {func(l *PageRef) { l.Questions = &[]Question{{Rect: ask.Rect, Points: -1}} }, true},
		"a stamp on the sheet": {func(l *PageRef) { l.Said = []mark.Mark{stamp} }, false},
		"an answer on the sheet": {func(l *PageRef) {
			l.Said = []mark.Mark{{ID: "answer-1", Page: 1, Body: &mark.Reply{To: "nothing-1", Text: "x"}}}
		}, true},
		"far too many places": {func(l *PageRef) { l.Blanks = ptr(slices.Repeat([]Blank{good}, 601)) }, true},
	} {
		if _, err := brought.Changed(with(c.change)); errors.Is(err, ErrGuide) != c.bad || !c.bad && err != nil {
			t.Errorf("%s: %v", name, err)
		}
	}
	p := with(func(*PageRef) {})
	if p.Points() != 2*points.One {
		t.Errorf("worth %v", p.Points())
	}
	found := []Guide{{Blanks: []Blank{place(Box{1, 1, 50, 19}, blank.Line, nil)}}, {}, {}}
	sizes := []page.Point{page.Pt(595, 842), page.Pt(595, 842), page.Pt(595, 842)}
	got := p.Guides(brought, found, sizes)[0]
	if got.Blanks[0].Kind != blank.Number || got.Of()[0] != 0 {
		t.Errorf("the teacher's places do not stand: %+v, of %v", got, got.Of())
	}
	if s := got.ForStudents(); s.Blanks[0].Expected != nil || s.Questions[0].Words != nil || s.Questions[0].Points != ask.Points || got.Blanks[0].Expected == nil {
		t.Errorf("what students get: %+v", s)
	}
	if said := p.Directions(brought, sizes); len(said) != 1 || said[0].Page != 1 {
		t.Errorf("directions: %v", said)
	}
}

// What stands on a page turns with it; four quarters are none. A page of 595
// by 842 points turned clockwise by a quarter has what was at its top left at
// its top right.
func TestTurning(t *testing.T) {
	l := PageRef{Page: 1, Use: Sheet, Blanks: &[]Blank{place(Box{10, 20, 90, 38}, blank.Line, nil)}, Said: []mark.Mark{note(0, 0)}}
	once := l.Turned(842)
	if want := (Box{842 - 38, 10, 842 - 20, 90}); (*once.Blanks)[0].Rect != want || once.Turn != 90 {
		t.Errorf("turned to %v, want %v", (*once.Blanks)[0].Rect, want)
	}
	if at := once.Said[0].Body.(*mark.Note).At; at != [2]float64{842, 0} {
		t.Errorf("the note is at %v", at)
	}
	round := once.Turned(595).Turned(842).Turned(595)
	if (*round.Blanks)[0].Rect != (*l.Blanks)[0].Rect || round.Turn != 0 {
		t.Errorf("after a whole turn: %+v", (*round.Blanks)[0])
	}
	// A copy that has the page as it was gets the direction where it was.
	now, then := Plan{once}, Plan{l}
	if at := now.Directions(then, []page.Point{page.Pt(595, 842)})[0].Body.(*mark.Note).At; at != [2]float64{0, 0} {
		t.Errorf("on the page as it was, the note is at %v", at)
	}
}

func TestKits(t *testing.T) {
	danger, depth := Meaning{"danger", "#ffc38a", "D", ""}, Meaning{"depth", "#bfdcf5", "m", "underline"}
	for name, c := range map[string]struct {
		kit Kit
		bad bool
	}{
		"nothing":                {Kit{}, false},
		"two meanings":           {Kit{Key: []Meaning{danger, depth}}, false},
		"one colour, two shapes": {Kit{Key: []Meaning{danger, {"rock", "#ffc38a", "R", "circle"}}}, false},
		"a name twice":           {Kit{Key: []Meaning{danger, {"Danger", "#bfdcf5", "x", ""}}}, true},
		"a sign twice":           {Kit{Key: []Meaning{danger, {"depth", "#bfdcf5", "D", ""}}}, true},
		"a look twice":           {Kit{Key: []Meaning{danger, {"depth", "#ffc38a", "m", ""}}}, true},
		"no sign":                {Kit{Key: []Meaning{{"depth", "#bfdcf5", " ", ""}}}, true},
		"a colour in words":      {Kit{Key: []Meaning{{"depth", "blue", "m", ""}}}, true},
		"a strange shape":        {Kit{Key: []Meaning{{"depth", "#bfdcf5", "m", "star"}}}, true},
		"a picture of no size":   {Kit{Shelf: []Picture{{Name: "buoy", Hash: "x"}}}, true},
	} {
		if err := c.kit.Check(); (err != nil) != c.bad {
			t.Errorf("%s: %v", name, err)
		}
		if again, err := ParseKit(c.kit.String()); err != nil || len(again.Key) != len(c.kit.Key) {
			t.Errorf("%s, read again: %v %v", name, again, err)
		}
	}
}

func ptr[T any](v T) *T { return &v }

// What is still empty: text counts where it begins, strokes by their middle;
// of tick boxes of one question one is enough.
func TestEmptyPlaces(t *testing.T) {
	line := func(y float64) Blank { return place(Box{100, y - 16, 300, y}, blank.Line, nil) }
	tick := func(x float64, field, on string, one bool) Blank {
		return Blank{Rect: Box{x, 300, x + 14, 314}, Baseline: 311, Size: 12, Kind: blank.Tick, Field: field, On: on, One: one}
	}
	g := Guide{
		Blanks:    []Blank{line(100), line(140), tick(100, "", "", false), tick(130, "", "", false), tick(200, "tide", "Flood", true), tick(230, "tide", "Ebb", true), place(Box{50, 400, 500, 700}, blank.Room, nil)},
		Questions: []Question{{Number: "1.", Text: "Heights", Rect: Box{50, 80, 90, 92}}, {Number: "2.", Text: "Checked", Rect: Box{50, 290, 90, 302}}},
	}
	text := mark.Mark{ID: "text-0001", Page: 1, Body: &mark.FreeText{X: 102, Y: 96, Width: 600, Lines: []mark.TextLine{{Runs: []mark.Run{{Text: "a long answer that goes on", Size: 12, Color: "#000000"}}}}}}
	wash := mark.Mark{ID: "wash-0001", Page: 1, Body: &mark.Highlight{Color: "#ffe27a", QuadPoints: [][8]float64{{100, 125, 300, 125, 300, 140, 100, 140}}}}
	star := mark.Mark{ID: "star-0001", Page: 1, Body: &mark.Stamp{Name: "tick", Color: "#000000", Rect: [4]float64{131, 301, 143, 313}}}
	ebb := mark.Mark{ID: "ebb-00001", Page: 1, Body: &mark.Widget{Field: "tide", Values: []string{"Ebb"}, Rect: Box{230, 300, 244, 314}, Sign: "dot"}}
	for name, c := range map[string]struct {
		marks []mark.Mark
		want  []int
	}{
		"nothing done":     {nil, []int{0, 1, 2, 4}},
		"one text":         {[]mark.Mark{text}, []int{1, 2, 4}},
		"a wash":           {[]mark.Mark{wash}, []int{0, 1, 2, 4}},
		"the second box":   {[]mark.Mark{star}, []int{0, 1, 4}},
		"one of a field":   {[]mark.Mark{ebb}, []int{0, 1, 2}},
		"all that matters": {[]mark.Mark{text, star, ebb}, []int{1}},
	} {
		if got := g.Empty(c.marks); !slices.Equal(got, c.want) {
			t.Errorf("%s: %v, want %v", name, got, c.want)
		}
	}
	if q, label := g.Asked(2); q != "2." || label != "Checked" {
		t.Errorf("it is called %q %q", q, label)
	}
}

// A press beside a place goes into it, unless something else is nearer.
// Marks count for the question under which they stand, as its kind has it.
func TestHowFarATaskIs(t *testing.T) {
	g := Guide{Questions: []Question{
		{Number: "1.", Rect: Box{60, 100, 300, 114}, Task: &Task{Kind: blank.Words, Count: 10}},
		{Number: "a)", Rect: Box{80, 120, 300, 134}},
		{Number: "2.", Rect: Box{60, 200, 300, 214}},
		{Number: "3.", Rect: Box{60, 300, 300, 314}, Task: &Task{Kind: blank.Options, Drop: true}},
		{Number: "4.", Rect: Box{60, 400, 300, 414}, Task: &Task{Kind: blank.Pairs, Count: 3}},
		{Number: "5.", Rect: Box{60, 500, 300, 514}, Task: &Task{Kind: blank.Draw}},
	}, Blanks: []Blank{place(Box{60, 520, 300, 600}, blank.Drawing, nil)}}
	quad := func(y float64) [][8]float64 { return [][8]float64{{80, y, 120, y, 80, y + 10, 120, y + 10}} }
	line := func(y0, y1 float64) mark.Mark {
		return mark.Mark{Page: 1, Body: &mark.Line{L: [4]float64{80, y0, 280, y1}}}
	}
	stamp := func(name string, y float64) mark.Mark {
		return mark.Mark{Page: 1, Body: &mark.Stamp{Name: name, Rect: [4]float64{80, y, 100, y + 20}}}
	}
	marks := []mark.Mark{
		{Page: 1, Body: &mark.Highlight{QuadPoints: quad(125)}}, {Page: 1, Body: &mark.Underline{Markup: mark.Markup{QuadPoints: quad(150)}}}, // for 1
		line(160, 160), line(140, 170), // under a word, and across
		{Page: 1, Body: &mark.Highlight{QuadPoints: quad(220)}}, // under 2, which asks for none
		stamp("cross", 330), // dropped
		line(420, 470), line(430, 450), {Page: 1, Body: &mark.FreeText{X: 80, Y: 440}}, note(90, 450),
		{Page: 1, Body: &mark.FreeText{X: 80, Y: 540, Lines: []mark.TextLine{{Runs: []mark.Run{{Text: "the top", Size: 12}}}}}},
	}
	want := "[{0 3 true false} {3 0 true false} {4 2 true false} {5 0 true true}]"
	if got := fmt.Sprint(g.Tasks(marks)); got != want {
		t.Errorf("%s, not %s", got, want)
	}
	if got := fmt.Sprint(g.Tasks(nil)); got != "[{0 0 false false} {3 0 false false} {4 0 false false} {5 0 false true}]" {
		t.Errorf("of an empty page: %s", got)
	}
}

func TestWhichBlankAPressMeans(t *testing.T) {
	g := Guide{Blanks: []Blank{
		{Rect: Box{100, 100, 200, 120}, Kind: blank.Line},
		{Rect: Box{100, 140, 200, 160}, Kind: blank.Cell},
		{Rect: Box{60, 200, 500, 400}, Kind: blank.Room},
		{Rect: Box{300, 210, 340, 230}, Kind: blank.Tick},
		{Rect: Box{400, 100, 500, 120}, Kind: blank.Drawing},
		{Rect: Box{110, 102, 130, 118}, Kind: blank.Tick},
		{Rect: Box{400, 150, 500, 190}, Kind: blank.Shade},
	}}
	for name, c := range map[string]struct {
		at    page.Point
		reach float64
		other float64
		want  int
	}{
		"in one":                      {page.Pt(150, 110), 10, 0, 0},
		"in the smaller of two":       {page.Pt(120, 110), 10, 0, 5},
		"above one":                   {page.Pt(150, 92), 10, 99, 0},
		"too far above":               {page.Pt(150, 89), 10, 99, -1},
		"print is nearer":             {page.Pt(150, 92), 10, 7.9, -1},
		"between two, nearer the one": {page.Pt(150, 131), 15, 99, 1},
		"in mere room":                {page.Pt(100, 300), 10, 99, 2},
		"in room, beside a box":       {page.Pt(295, 220), 10, 99, 3},
		"under mere room":             {page.Pt(100, 405), 10, 99, -1},
		"in a place to draw":          {page.Pt(450, 110), 10, 99, -1},
		"in a place to shade":         {page.Pt(450, 170), 10, 99, -1},
		"at an edge of two":           {page.Pt(200, 110), 10, 99, 0},
	} {
		if got := g.Near(c.at, c.reach, func(page.Rect) float64 { return c.other }); got != c.want {
			t.Errorf("%s: blank %d, want %d", name, got, c.want)
		}
	}
}

// Pages that were added to a copy: which they are, what can be written on them,
// and what leads to them and back.
func TestPagesThatWereAdded(t *testing.T) {
	paper := func(id string, page int, p mark.Paper) mark.Mark { return mark.Mark{ID: id, Page: page, Body: &p} }
	ms := []mark.Mark{
		paper("paper-cc", 5, mark.Paper{Ruling: "squared", Question: "q2", Title: "Question 2"}),
		paper("paper-bb", 3, mark.Paper{Ruling: "ruled", GoesOn: []mark.GoesOn{{Blank: "b1", Title: "1. Say why"}, {Blank: "b2", Title: "2."}}}),
		paper("paper-aa", 5, mark.Paper{Ruling: "ruled"}), // added without a line on another device
		{ID: "text-aaaa", Page: 3, Body: &mark.Stamp{Name: "tick"}},
	}
	var order []string
	for _, p := range Papers(ms) {
		order = append(order, p.ID)
	}
	if got := strings.Join(order, " "); got != "paper-bb paper-aa" {
		t.Errorf("the pages are %s", got)
	}
	g := PaperGuide(ms[1])
	if len(g.Blanks) != 2 || g.Blanks[0].ID != "b1" || g.Blanks[1].ID != "b2" || g.Blanks[0].Rect[3] >= g.Blanks[1].Rect[1] || g.Blanks[1].Label != "2." {
		t.Errorf("what goes on on the page: %+v", g.Blanks)
	}
	if whole := PaperGuide(ms[2]); len(whole.Blanks) != 1 || whole.Blanks[0].ID != "paper-aa" {
		t.Errorf("a ruled page is %+v", whole.Blanks)
	}
	if squares := PaperGuide(ms[0]); len(squares.Blanks) != 0 {
		t.Errorf("a squared page is written on in %+v", squares.Blanks)
	}
	pages := []Guide{{}, {
		Blanks:    []Blank{{ID: "b1", Rect: Box{60, 100, 540, 200}}, {ID: "b2", Rect: Box{60, 300, 590, 400}}},
		Questions: []Question{{ID: "q2", Number: "2.", Rect: Box{56, 280, 300, 295}}},
	}}
	var leads []string
	for _, s := range Signs(pages, append(ms[1:2], ms[0])) {
		leads = append(leads, fmt.Sprintf("%d at %.0f,%.0f %s to %d", s.Page, s.At[0], s.At[1], s.Text, s.To))
	}
	want := "2 at 543,198 → page 3 to 3|3 at 502,78 ← page 2 to 2|2 at 552,407 → page 3 to 3|3 at 502,312 ← page 2 to 2|2 at 18,290 → page 4 to 5|5 at 502,56 ← page 2 to 2"
	if got := strings.Join(leads, "|"); got != want {
		t.Errorf("signs: %s\nwant   %s", got, want)
	}
}

// The patch of a question goes from its first line to the next question, as wide
// as what the page asks, and is on the page.
func TestPatches(t *testing.T) {
	g := Guide{
		Questions: []Question{{ID: "question-1", Rect: Box{56, 100, 400, 112}}, {ID: "question-2", Rect: Box{56, 300, 300, 312}}, {ID: "question-3", Rect: Box{56, 330, 300, 342}, Task: &Task{Kind: blank.Draw}}, {ID: "question-4", Rect: Box{56, 800, 300, 812}}},
		Blanks:    []Blank{{ID: "blank-1", Rect: Box{80, 150, 500, 170}, Baseline: 168, Kind: blank.Line}, {ID: "blank-2", Rect: Box{80, 302, 200, 316}, Baseline: 314, Kind: blank.Line}},
	}
	for q, want := range []page.Rect{page.R(46, 95, 510, 180), page.R(46, 295, 510, 328), page.R(46, 325, 510, 772), page.R(46, 795, 510, 842)} {
		if got := g.Patch(q, page.Pt(595, 842)); got != want {
			t.Errorf("question %d has %v, want %v", q+1, got, want)
		}
	}
	if got := (Guide{Questions: g.Questions[:1]}).Patch(0, page.Pt(300, 120)); got != page.R(46, 95, 300, 120) {
		t.Errorf("on a small page it is %v", got)
	}
}
