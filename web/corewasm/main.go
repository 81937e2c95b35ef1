//go:build js && wasm

// Command corewasm is the core for the browser: a thin bridge, no logic. It
// sets the global object readymarginCore; marks go over as JSON, pointer
// samples as the bytes of a Float64Array.
package main

import (
	"encoding/binary"
	"encoding/json"
	"math"
	"strings"
	"syscall/js"

	"readymargin/core/caption"
	"readymargin/core/draw"
	"readymargin/core/ink"
	"readymargin/core/mark"
	"readymargin/core/note"
	"readymargin/core/page"
	"readymargin/core/practice"
	"readymargin/core/scan"
	"readymargin/core/submission"
	"readymargin/core/words"
	"readymargin/core/worksheet"
)

var (
	board  submission.Board // what the screen shows
	prints = map[int]words.Page{}
	guides = map[int]worksheet.Guide{}
)

func main() {
	js.Global().Set("readymarginCore", js.ValueOf(map[string]any{
		"shapes": bridge(shapes), "setPrint": bridge(setPrint),
		"run": bridge(run), "span": bridge(span), "onWord": bridge(onWord), "clear": bridge(clear), "settle": bridge(settle), "begin": bridge(begin), "lay": bridge(lay), "drop": bridge(drop), "apply": bridge(apply), "take": bridge(take), "base": bridge(base),
		"hit": bridge(hit), "bounds": bridge(bounds), "moved": bridge(moved), "fitted": bridge(fitted), "turned": bridge(turned), "restyled": bridge(restyled), "frame": bridge(frame), "reframed": bridge(reframed),
		"within": bridge(within), "rubbed": bridge(rubbed), "resembles": bridge(resembles), "threads": bridge(threads), "setGuide": bridge(setGuide), "empty": bridge(empty), "tasks": bridge(tasks), "asked": bridge(asked), "near": bridge(near), "paper": bridge(paper), "signs": bridge(signs), "practised": bridge(practised), "crossing": bridge(crossing), "captions": bridge(captions),
	}))
	select {}
}

// bridge makes a function for script: an error becomes null.
func bridge(f func([]js.Value) (any, error)) js.Func {
	return js.FuncOf(func(_ js.Value, args []js.Value) (out any) {
		defer func() {
			if recover() != nil {
				out = nil
			}
		}()
		out, err := f(args)
		if err != nil {
			return nil
		}
		return out
	})
}

func asJSON(v any) (any, error) {
	b, err := json.Marshal(v)
	return string(b), err
}

// numbers reads a Float64Array.
func numbers(v js.Value) []float64 {
	raw := make([]byte, v.Get("byteLength").Int())
	js.CopyBytesToGo(raw, js.Global().Get("Uint8Array").New(v.Get("buffer"), v.Get("byteOffset"), v.Get("byteLength")))
	out := make([]float64, len(raw)/8)
	for i := range out {
		out[i] = math.Float64frombits(binary.LittleEndian.Uint64(raw[8*i:]))
	}
	return out
}

// samplesOf reads x, y, pressure, …
func samplesOf(v js.Value) []ink.Sample {
	n := numbers(v)
	out := make([]ink.Sample, len(n)/3)
	for i := range out {
		out[i] = ink.Sample{X: n[3*i], Y: n[3*i+1], Pressure: n[3*i+2]}
	}
	return out
}

// points reads x, y, …
func points(v js.Value) []page.Point {
	n := numbers(v)
	out := make([]page.Point, len(n)/2)
	for i := range out {
		out[i] = page.Pt(n[2*i], n[2*i+1])
	}
	return out
}

func readMark(v js.Value) (m mark.Mark, err error) {
	return m, json.Unmarshal([]byte(v.String()), &m)
}

// shapes(mark) gives what to paint.
func shapes(a []js.Value) (any, error) {
	m, err := readMark(a[0])
	if err != nil {
		return nil, err
	}
	return asJSON(draw.ForScreen(m))
}

// setPrint(page, print) tells what is printed on a page.
func setPrint(a []js.Value) (any, error) {
	var p words.Page
	err := json.Unmarshal([]byte(a[1].String()), &p)
	prints[a[0].Int()] = p
	return true, err
}

// run(page, x0, y0, x1, y1, letters) gives the words between two places, or null.
func run(a []js.Value) (any, error) {
	r, ok := prints[a[0].Int()].Between(page.Pt(a[1].Float(), a[2].Float()), page.Pt(a[3].Float(), a[4].Float()), a[5].Bool())
	if !ok {
		return nil, nil
	}
	return asJSON(map[string]any{"quadPoints": mark.QuadPoints(r.Quads), "text": r.Text})
}

// span(page, from, to) gives a run of words by their numbers, to behind the last.
func span(a []js.Value) (any, error) {
	r, ok := prints[a[0].Int()].Span(a[1].Int(), a[2].Int())
	if !ok {
		return nil, nil
	}
	return asJSON(map[string]any{"quadPoints": mark.QuadPoints(r.Quads), "text": r.Text})
}

// onWord(page, x, y) says whether a place is on a printed word.
func onWord(a []js.Value) (any, error) {
	return prints[a[0].Int()].At(page.Pt(a[1].Float(), a[2].Float())) >= 0, nil
}

// clear(page, x, y, r, reach) gives the nearest place where a disc covers no word.
func clear(a []js.Value) (any, error) {
	p := prints[a[0].Int()].Clear(page.Pt(a[1].Float(), a[2].Float()), a[3].Float(), a[4].Float())
	return asJSON([2]float64{p.X, p.Y})
}

// settle(page, x, y, size) gives the baseline for typing there.
func settle(a []js.Value) (any, error) {
	return prints[a[0].Int()].Settle(page.Pt(a[1].Float(), a[2].Float()), a[3].Float()), nil
}

// entry is a mark on the board as script knows it.
type entry struct {
	Version  string           `json:"version"`
	Layer    submission.Layer `json:"layer"`
	Mark     mark.Mark        `json:"mark"`
	Conflict bool             `json:"conflict"`
	Shapes   []draw.Shape     `json:"shapes"`
}

// diff tells script what became of the board: what is to be taken away and what
// is to be painted anew.
func diff(all ...submission.Diff) map[string]any {
	gone, put, seen := []string{}, []entry{}, map[string]bool{}
	touch := func(version string) {
		if seen[version] {
			return
		}
		seen[version] = true
		if e, there := board.Entry(version); there {
			put = append(put, entry{version, e.Layer, e.Mark, e.Conflict, draw.ForScreen(e.Mark)})
		} else {
			gone = append(gone, version)
		}
	}
	for _, d := range all {
		for _, v := range d.Gone {
			touch(v)
		}
		for _, e := range d.Put {
			touch(e.Version)
		}
	}
	return map[string]any{"gone": gone, "put": put}
}

// laid says that a version is of a mark that no operation changes.
func laid(version string) bool { return strings.HasPrefix(version, "fixed-") }

// begin(entries) lays what the server has on an empty board, and gives the
// versions that are in conflict with another.
func begin(a []js.Value) (any, error) {
	var all []entry
	if err := json.Unmarshal([]byte(a[0].String()), &all); err != nil {
		return nil, err
	}
	board.Clear()
	for _, e := range all {
		if laid(e.Version) {
			board.Lay(e.Layer, e.Version, e.Mark)
		} else {
			board.Put(e.Layer, e.Version, e.Mark)
		}
	}
	conflicts := []string{}
	for _, e := range all {
		if on, _ := board.Entry(e.Version); on.Conflict {
			conflicts = append(conflicts, e.Version)
		}
	}
	return asJSON(conflicts)
}

// lay(layer, version, mark) lays a mark on the board that is only being moved
// about.
func lay(a []js.Value) (any, error) {
	m, err := readMark(a[2])
	if err != nil {
		return nil, err
	}
	board.Lay(submission.Layer(a[0].String()), a[1].String(), m)
	return true, nil
}

// drop(version) takes it away again.
func drop(a []js.Value) (any, error) {
	board.Drop(a[0].String())
	return true, nil
}

// base(mark) gives what the next change of a mark is made on, or "".
func base(a []js.Value) (any, error) { return board.Base(a[0].String()), nil }

// apply(layer, op, tie, samples) takes an operation. With samples its mark is
// a drawing without strokes, which gets the stroke that follows x, y, pressure,
// …; with tie the mark names the blank that it lies in. It gives the mark as it
// was taken, and what became of the board.
func apply(a []js.Value) (any, error) {
	var o struct {
		submission.Op
		Mark json.RawMessage `json:"mark"`
	}
	if err := json.Unmarshal([]byte(a[1].String()), &o); err != nil {
		return nil, err
	}
	l := submission.Layer(a[0].String())
	if o.Mark != nil {
		m, err := taken(o.Mark, a[3])
		if err != nil {
			return nil, err
		}
		if a[2].Bool() {
			m.Blank = tied(m, o.Base)
		}
		o.Op.Mark = &m
	}
	d, err := board.Apply(l, o.Op)
	if err != nil {
		return nil, err
	}
	out := diff(d)
	out["mark"] = o.Op.Mark
	return asJSON(out)
}

// tied returns the blank that a mark belongs to. One that was only changed
// where it is stays with its blank, even when the blank has been moved since.
func tied(m mark.Mark, base string) string {
	if before, ok := board.Entry(base); ok && before.Mark.Page == m.Page {
		was, is := before.Mark.Body.Bounds(), m.Body.Bounds()
		if before.Mark.Blank != "" && (was.Center().Dist(is.Center()) < 3 || was.Min.Dist(is.Min) < 3) {
			return before.Mark.Blank
		}
	}
	return guides[m.Page].BlankOf(m)
}

// taken reads the mark of an operation, with the stroke that samples make.
func taken(b []byte, samples js.Value) (m mark.Mark, err error) {
	if samples.IsNull() {
		return m, json.Unmarshal(b, &m)
	}
	var drawn struct {
		ID, Helper string
		Page, Rank int
		Body       mark.Ink
	}
	if err := json.Unmarshal(b, &drawn); err != nil {
		return m, err
	}
	drawn.Body.InkList = append(drawn.Body.InkList, ink.Fit(samplesOf(samples)))
	return mark.Mark{ID: drawn.ID, Page: drawn.Page, Rank: drawn.Rank, Helper: drawn.Helper, Body: &drawn.Body}, nil
}

// take(changes) takes what others did: versions that are gone, and those that
// are present.
func take(a []js.Value) (any, error) {
	var c struct {
		Gone  []string `json:"gone"`
		Marks []entry  `json:"marks"`
	}
	if err := json.Unmarshal([]byte(a[0].String()), &c); err != nil {
		return nil, err
	}
	var all []submission.Diff
	for _, v := range c.Gone {
		all = append(all, board.Drop(v))
	}
	for _, e := range c.Marks {
		all = append(all, board.Put(e.Layer, e.Version, e.Mark))
	}
	return asJSON(diff(all...))
}

// layersOf reads names of layers with spaces between them.
func layersOf(v js.Value) (out []submission.Layer) {
	for _, l := range strings.Fields(v.String()) {
		out = append(out, submission.Layer(l))
	}
	return out
}

// hit(layers, page, x, y, reach) gives the version of the foremost mark within
// reach of a place, or null.
func hit(a []js.Value) (any, error) {
	if v := board.Hit(layersOf(a[0]), a[1].Int(), page.Pt(a[2].Float(), a[3].Float()), a[4].Float()); v != "" {
		return v, nil
	}
	return nil, nil
}

// on returns the mark that is shown of a version.
func on(version js.Value) mark.Mark {
	e, _ := board.Entry(version.String())
	return e.Mark
}

// bounds(version) gives [left, top, right, bottom].
func bounds(a []js.Value) (any, error) {
	m := on(a[0])
	if m.Body == nil {
		return nil, nil
	}
	b := m.Body.Bounds()
	return asJSON([]float64{b.Min.X, b.Min.Y, b.Max.X, b.Max.Y})
}

// captions(text, peaks, ms) cuts what is said in a sound into captions.
func captions(a []js.Value) (any, error) {
	var peaks []int
	if err := json.Unmarshal([]byte(a[1].String()), &peaks); err != nil {
		return nil, err
	}
	return asJSON(caption.Cues(a[0].String(), peaks, a[2].Int()))
}

// moved(version, dx, dy) gives the mark moved.
func moved(a []js.Value) (any, error) {
	m := on(a[0])
	m.Body = m.Body.Moved(page.Pt(a[1].Float(), a[2].Float()))
	return asJSON(m)
}

// readRect reads [left, top, right, bottom].
func readRect(v js.Value) (page.Rect, error) {
	var r [4]float64
	err := json.Unmarshal([]byte(v.String()), &r)
	return page.R(r[0], r[1], r[2], r[3]), err
}

// fitted(version, from, to) gives the mark stretched.
func fitted(a []js.Value) (any, error) {
	from, err := readRect(a[1])
	if err != nil {
		return nil, err
	}
	to, err := readRect(a[2])
	if err != nil {
		return nil, err
	}
	m := on(a[0])
	m.Body = m.Body.Fitted(from, to)
	return asJSON(m)
}

// frame(version) gives the mark's frame before it is turned, and its turn.
func frame(a []js.Value) (any, error) {
	m := on(a[0])
	if m.Body == nil {
		return nil, nil
	}
	r, pivot, degrees := mark.Frame(m.Body)
	return asJSON(map[string]any{"rect": [4]float64{r.Min.X, r.Min.Y, r.Max.X, r.Max.Y}, "pivot": [2]float64{pivot.X, pivot.Y}, "turn": degrees})
}

// reframed(version, to) gives the mark with another frame.
func reframed(a []js.Value) (any, error) {
	to, err := readRect(a[1])
	if err != nil {
		return nil, err
	}
	m := on(a[0])
	m.Body = mark.Reframed(m.Body, to)
	return asJSON(m)
}

// turned(version, x, y, degrees) gives the mark turned about a place.
func turned(a []js.Value) (any, error) {
	m := on(a[0])
	m.Body = m.Body.Turned(page.Pt(a[1].Float(), a[2].Float()), a[3].Float())
	return asJSON(m)
}

// restyled(version, style) gives the mark in another style.
func restyled(a []js.Value) (any, error) {
	var s mark.Style
	if err := json.Unmarshal([]byte(a[1].String()), &s); err != nil {
		return nil, err
	}
	m := on(a[0])
	m.Body = m.Body.Restyled(s)
	return asJSON(m)
}

// within(layers, page, path) gives the versions of the marks whose middle lies
// in the loop of x, y, …, or all of the page when the loop has no area.
func within(a []js.Value) (any, error) {
	return asJSON(board.Within(layersOf(a[0]), a[1].Int(), points(a[2])))
}

// rubbed(layers, page, radius, samples) gives what a rubber leaves of the
// drawings that it touched: [{version, mark or null}, …].
func rubbed(a []js.Value) (any, error) {
	type remains struct {
		Version string     `json:"version"`
		Mark    *mark.Mark `json:"mark"`
	}
	out := []remains{}
	order, left := board.Rubbed(layersOf(a[0]), a[1].Int(), ink.Rubbing(samplesOf(a[3]), a[2].Float()))
	for _, v := range order {
		out = append(out, remains{v, left[v]})
	}
	return asJSON(out)
}

// resembles(version, before) gives the shape that a drawing resembles, with
// the drawing made before it or "", or null.
func resembles(a []js.Value) (any, error) {
	drawn, ok := on(a[0]).Body.(*mark.Ink)
	if !ok || len(drawn.InkList) != 1 {
		return nil, nil
	}
	var before *ink.Stroke
	if b, ok := on(a[1]).Body.(*mark.Ink); ok && len(b.InkList) == 1 {
		before = &b.InkList[0]
	}
	n, ok := ink.Resembles(drawn.InkList[0], before)
	if !ok {
		return nil, nil
	}
	shape := mark.Shape{Color: drawn.Color, Width: drawn.Width, Opacity: drawn.Opacity}
	rect := [4]float64{n.Rect.Min.X, n.Rect.Min.Y, n.Rect.Max.X, n.Rect.Max.Y}
	var body mark.Body
	switch n.Kind {
	case "square":
		body = &mark.Square{Shape: shape, Rect: rect}
	case "circle":
		body = &mark.Circle{Shape: shape, Rect: rect}
	default:
		line := &mark.Line{Shape: shape, L: [4]float64{n.From.X, n.From.Y, n.To.X, n.To.Y}}
		if n.Kind == "arrow" {
			line.LineEnding[1] = "OpenArrow"
		}
		body = line
	}
	return asJSON(map[string]any{"kind": n.Kind, "as": body.Kind(), "body": body})
}

// threads(said) gives {threads, whole}, the conversations of [{mark, remark}, …] and
// what was said of the copy as a whole.
func threads(a []js.Value) (any, error) {
	var said []struct {
		Mark   mark.Mark   `json:"mark"`
		Remark note.Remark `json:"remark"`
	}
	if err := json.Unmarshal([]byte(a[0].String()), &said); err != nil {
		return nil, err
	}
	all := make([]note.Said, len(said))
	for i, s := range said {
		all[i] = note.Said{Mark: s.Mark, Remark: s.Remark}
	}
	return asJSON(map[string]any{"threads": note.Threads(all, board.Find), "whole": note.Whole(all)})
}

// setGuide(page, guide) tells what a page has to be worked on.
func setGuide(a []js.Value) (any, error) {
	var g worksheet.Guide
	err := json.Unmarshal([]byte(a[1].String()), &g)
	guides[a[0].Int()] = g
	return true, err
}

// empty(page) gives the blanks of a page in which none of the student's marks
// stands: for each its number, its question and its label.
func empty(a []js.Value) (any, error) {
	g := guides[a[0].Int()]
	out := []map[string]any{}
	for _, i := range g.Empty(workOn(a[0].Int())) {
		question, label := g.Asked(i)
		out = append(out, map[string]any{"place": i, "question": question, "label": label})
	}
	return asJSON(out)
}

// workOn returns the student's marks on a page.
func workOn(page int) (own []mark.Mark) {
	for _, e := range board.On([]submission.Layer{submission.Work}, page) {
		own = append(own, e.Mark)
	}
	return own
}

// tasks(page) gives how far the questions of a page are that are answered by
// marks: which they are, how many marks there are and how many are asked for.
func tasks(a []js.Value) (any, error) {
	g := guides[a[0].Int()]
	out := []map[string]any{}
	for _, d := range g.Tasks(workOn(a[0].Int())) {
		out = append(out, map[string]any{"question": d.Question, "of": g.Questions[d.Question].Task.Count, "marks": d.Marks, "touched": d.Touched, "written": d.Written})
	}
	return asJSON(out)
}

// asked(page, place) gives what a blank is called: its question and its label.
func asked(a []js.Value) (any, error) {
	question, label := guides[a[0].Int()].Asked(a[1].Int())
	return asJSON(map[string]string{"question": question, "label": label})
}

// paper(version) gives what a page that was added has to be worked on.
func paper(a []js.Value) (any, error) { return asJSON(worksheet.PaperGuide(on(a[0]))) }

// signs(pages) gives what leads to the pages that were added behind so many
// pages of the sheet, and back.
func signs(a []js.Value) (any, error) {
	pages := make([]worksheet.Guide, a[0].Int())
	for i := range pages {
		pages[i] = guides[i+1]
	}
	return asJSON(worksheet.Signs(pages, board.Of(submission.Work)))
}

// near(page, x, y, reach) gives the number of the blank that is meant by a
// press there, -1 for none: print and the student's own marks may be nearer.
func near(a []js.Value) (any, error) {
	n, p := a[0].Int(), page.Pt(a[1].Float(), a[2].Float())
	written := board.On([]submission.Layer{submission.Work}, n)
	return guides[n].Near(p, a[3].Float(), func(but page.Rect) float64 {
		d := prints[n].Distance(p, but)
		for _, e := range written {
			d = min(d, e.Mark.Body.Distance(p))
		}
		return d
	}), nil
}

// practised() tells of each step of the practice sheet whether it is done.
func practised([]js.Value) (any, error) {
	return asJSON(practice.Done(board.Of(submission.Work)))
}

// crossing(grey, width, x, y) gives where lines of a printed grid cross near a
// place, in a window of a page's picture as grey bytes, or null.
func crossing(a []js.Value) (any, error) {
	raw := make([]byte, a[0].Get("byteLength").Int())
	js.CopyBytesToGo(raw, a[0])
	w := a[1].Int()
	p, ok := scan.Crossing(scan.Gray{W: w, H: len(raw) / w, Pix: raw}, page.Pt(a[2].Float(), a[3].Float()))
	if !ok {
		return nil, nil
	}
	return asJSON([2]float64{p.X, p.Y})
}
