//go:build js && wasm

// Command corewasm is the core for the browser: a thin bridge, no logic. It
// sets the global object readymarginCore; marks go over as JSON, pointer
// samples as the bytes of a Float64Array.
package main

import (
	"encoding/binary"
	"encoding/json"
	"math"
	"slices"
	"strings"
	"syscall/js"

	"readymargin/core/draw"
	"readymargin/core/ink"
	"readymargin/core/mark"
	"readymargin/core/note"
	"readymargin/core/page"
	"readymargin/core/practice"
	"readymargin/core/scan"
	"readymargin/core/words"
	"readymargin/core/worksheet"
)

// known is a mark that the screen shows, for hit testing.
type known struct {
	layer string
	mark  mark.Mark
}

var (
	marks  = map[string]known{} // by version
	order  []string             // versions, from back to front: by rank, then by name of the mark
	prints = map[int]words.Page{}
	guides = map[int]worksheet.Guide{}
)

func main() {
	js.Global().Set("readymarginCore", js.ValueOf(map[string]any{
		"stroke": bridge(stroke), "shapes": bridge(shapes), "setPrint": bridge(setPrint),
		"run": bridge(run), "settle": bridge(settle), "put": bridge(put), "drop": bridge(drop), "clear": bridge(clearAll),
		"hit": bridge(hit), "bounds": bridge(bounds), "moved": bridge(moved), "fitted": bridge(fitted), "turned": bridge(turned), "restyled": bridge(restyled), "frame": bridge(frame), "reframed": bridge(reframed),
		"within": bridge(within), "rubbed": bridge(rubbed), "resembles": bridge(resembles), "threads": bridge(threads), "setGuide": bridge(setGuide), "empty": bridge(empty), "blankOf": bridge(blankOf), "practised": bridge(practised), "crossing": bridge(crossing),
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

// stroke(samples) gives the stroke that follows x, y, pressure, … as JSON.
func stroke(a []js.Value) (any, error) { return asJSON(ink.Fit(samplesOf(a[0]))) }

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

// settle(page, x, y, size) gives the baseline for typing there.
func settle(a []js.Value) (any, error) {
	return prints[a[0].Int()].Settle(page.Pt(a[1].Float(), a[2].Float()), a[3].Float()), nil
}

// put(layer, version, mark) shows a mark, in front of what was there.
func put(a []js.Value) (any, error) {
	m, err := readMark(a[2])
	if err != nil {
		return nil, err
	}
	version := a[1].String()
	if _, there := marks[version]; there {
		drop(a[1:2])
	}
	marks[version] = known{a[0].String(), m}
	i := len(order)
	for ; i > 0; i-- {
		if b := marks[order[i-1]].mark; b.Rank < m.Rank || b.Rank == m.Rank && b.ID <= m.ID {
			break
		}
	}
	order = slices.Insert(order, i, version)
	return true, nil
}

// drop(version) takes a mark away.
func drop(a []js.Value) (any, error) {
	delete(marks, a[0].String())
	kept := order[:0]
	for _, v := range order {
		if v != a[0].String() {
			kept = append(kept, v)
		}
	}
	order = kept
	return true, nil
}

func clearAll([]js.Value) (any, error) {
	clear(marks)
	order = nil
	return true, nil
}

// hit(layers, page, x, y, reach) gives the version of the foremost mark within
// reach of the place, the nearest among those, or null. What is under the
// place itself wins over what is only near.
func hit(a []js.Value) (any, error) {
	layers, n, p, best := strings.Fields(a[0].String()), a[1].Int(), page.Pt(a[2].Float(), a[3].Float()), a[4].Float()
	var found any
	for i := len(order) - 1; i >= 0; i-- {
		k := marks[order[i]]
		if !slices.Contains(layers, k.layer) || k.mark.Page != n || !k.mark.Body.Bounds().Grow(best+1).Contains(p) {
			continue
		}
		d := k.mark.Body.Distance(p)
		if d == 0 {
			return order[i], nil
		}
		if d < best {
			found, best = order[i], d
		}
	}
	return found, nil
}

// bounds(version) gives [left, top, right, bottom].
func bounds(a []js.Value) (any, error) {
	k, ok := marks[a[0].String()]
	if !ok {
		return nil, nil
	}
	b := k.mark.Body.Bounds()
	return asJSON([]float64{b.Min.X, b.Min.Y, b.Max.X, b.Max.Y})
}

// moved(version, dx, dy) gives the mark moved.
func moved(a []js.Value) (any, error) {
	m := marks[a[0].String()].mark
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
	m := marks[a[0].String()].mark
	m.Body = m.Body.Fitted(from, to)
	return asJSON(m)
}

// frame(version) gives the mark's frame before it is turned, and its turn.
func frame(a []js.Value) (any, error) {
	k, ok := marks[a[0].String()]
	if !ok {
		return nil, nil
	}
	r, pivot, degrees := mark.Frame(k.mark.Body)
	return asJSON(map[string]any{"rect": [4]float64{r.Min.X, r.Min.Y, r.Max.X, r.Max.Y}, "pivot": [2]float64{pivot.X, pivot.Y}, "turn": degrees})
}

// reframed(version, to) gives the mark with another frame.
func reframed(a []js.Value) (any, error) {
	to, err := readRect(a[1])
	if err != nil {
		return nil, err
	}
	m := marks[a[0].String()].mark
	m.Body = mark.Reframed(m.Body, to)
	return asJSON(m)
}

// turned(version, x, y, degrees) gives the mark turned about a place.
func turned(a []js.Value) (any, error) {
	m := marks[a[0].String()].mark
	m.Body = m.Body.Turned(page.Pt(a[1].Float(), a[2].Float()), a[3].Float())
	return asJSON(m)
}

// restyled(version, style) gives the mark in another style.
func restyled(a []js.Value) (any, error) {
	var s mark.Style
	if err := json.Unmarshal([]byte(a[1].String()), &s); err != nil {
		return nil, err
	}
	m := marks[a[0].String()].mark
	m.Body = m.Body.Restyled(s)
	return asJSON(m)
}

// within(layers, page, path) gives the versions of the marks whose middle lies
// in the loop of x, y, …, or all of the page when the loop has no area.
func within(a []js.Value) (any, error) {
	layers, n, found := strings.Fields(a[0].String()), a[1].Int(), []string{}
	loop := points(a[2])
	for _, v := range order {
		if k := marks[v]; slices.Contains(layers, k.layer) && k.mark.Page == n && (len(loop) < 3 || page.Inside(loop, k.mark.Body.Bounds().Center())) {
			found = append(found, v)
		}
	}
	return asJSON(found)
}

// rubbed(layers, page, radius, samples) gives what a rubber leaves of the
// drawings that it touched: [{version, mark or null}, …].
func rubbed(a []js.Value) (any, error) {
	type left struct {
		Version string     `json:"version"`
		Mark    *mark.Mark `json:"mark"`
	}
	layers, out := strings.Fields(a[0].String()), []left{}
	rub := ink.Rubbing(samplesOf(a[3]), a[2].Float())
	for _, v := range order {
		k := marks[v]
		drawn, ok := k.mark.Body.(*mark.Ink)
		if !ok || !slices.Contains(layers, k.layer) || k.mark.Page != a[1].Int() {
			continue
		}
		switch now := drawn.Rubbing(rub); now {
		case drawn:
		case nil:
			out = append(out, left{Version: v})
		default:
			m := k.mark
			m.Body = now
			out = append(out, left{v, &m})
		}
	}
	return asJSON(out)
}

// resembles(version, before) gives the shape that a drawing resembles, with
// the drawing made before it or "", or null.
func resembles(a []js.Value) (any, error) {
	drawn, ok := marks[a[0].String()].mark.Body.(*mark.Ink)
	if !ok || len(drawn.InkList) != 1 {
		return nil, nil
	}
	var before *ink.Stroke
	if b, ok := marks[a[1].String()].mark.Body.(*mark.Ink); ok && len(b.InkList) == 1 {
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

// threads(said) gives conversations of [{mark, remark}, …].
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
	return asJSON(note.Threads(all))
}

// setGuide(page, guide) tells what a page has to be worked on.
func setGuide(a []js.Value) (any, error) {
	var g worksheet.Guide
	err := json.Unmarshal([]byte(a[1].String()), &g)
	guides[a[0].Int()] = g
	return true, err
}

// blankOf(mark) gives the ID of the blank that a mark lies in, or "".
func blankOf(a []js.Value) (any, error) {
	m, err := readMark(a[0])
	return guides[m.Page].BlankOf(m), err
}

// empty(page) gives the blanks of a page in which none of the student's marks
// stands: for each its number, its question and its label.
func empty(a []js.Value) (any, error) {
	g := guides[a[0].Int()]
	var own []mark.Mark
	for _, v := range order {
		if k := marks[v]; k.layer == "work" && k.mark.Page == a[0].Int() {
			own = append(own, k.mark)
		}
	}
	out := []map[string]any{}
	for _, i := range g.Empty(own) {
		question, label := g.Asked(i)
		out = append(out, map[string]any{"place": i, "question": question, "label": label})
	}
	return asJSON(out)
}

// practised() tells of each step of the practice sheet whether it is done.
func practised([]js.Value) (any, error) {
	var own []mark.Mark
	for _, v := range order {
		if k := marks[v]; k.layer == "work" {
			own = append(own, k.mark)
		}
	}
	return asJSON(practice.Done(own))
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
