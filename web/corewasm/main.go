//go:build js && wasm

// Command corewasm is the core for the browser: a thin bridge, no logic. It
// sets the global object readymarginCore; marks go over as JSON, pointer
// samples as the bytes of a Float64Array.
package main

import (
	"encoding/binary"
	"encoding/json"
	"math"
	"syscall/js"

	"readymargin/core/draw"
	"readymargin/core/ink"
	"readymargin/core/mark"
	"readymargin/core/note"
	"readymargin/core/page"
	"readymargin/core/words"
)

// known is a mark that the screen shows, for hit testing.
type known struct {
	layer string
	mark  mark.Mark
}

var (
	marks  = map[string]known{} // by version
	order  []string             // versions, from back to front
	prints = map[int]words.Page{}
)

func main() {
	js.Global().Set("readymarginCore", js.ValueOf(map[string]any{
		"stroke": bridge(stroke), "shapes": bridge(shapes), "setPrint": bridge(setPrint),
		"run": bridge(run), "settle": bridge(settle), "put": bridge(put), "drop": bridge(drop), "clear": bridge(clearAll),
		"hit": bridge(hit), "bounds": bridge(bounds), "moved": bridge(moved), "recoloured": bridge(recoloured), "threads": bridge(threads),
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

// stroke(samples) gives the stroke that follows x, y, pressure, … as JSON.
func stroke(a []js.Value) (any, error) {
	raw := make([]byte, a[0].Get("byteLength").Int())
	js.CopyBytesToGo(raw, js.Global().Get("Uint8Array").New(a[0].Get("buffer"), a[0].Get("byteOffset"), a[0].Get("byteLength")))
	at := func(i int) float64 { return math.Float64frombits(binary.LittleEndian.Uint64(raw[8*i:])) }
	samples := make([]ink.Sample, len(raw)/24)
	for i := range samples {
		samples[i] = ink.Sample{X: at(3 * i), Y: at(3*i + 1), Pressure: at(3*i + 2)}
	}
	return asJSON(ink.Fit(samples))
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
	if _, there := marks[version]; !there {
		order = append(order, version)
	}
	marks[version] = known{a[0].String(), m}
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

// hit(layer, page, x, y, reach) gives the version of the foremost mark within
// reach of the place, the nearest among those, or null. What is under the
// place itself wins over what is only near.
func hit(a []js.Value) (any, error) {
	layer, n, p, best := a[0].String(), a[1].Int(), page.Pt(a[2].Float(), a[3].Float()), a[4].Float()
	var found any
	for i := len(order) - 1; i >= 0; i-- {
		k := marks[order[i]]
		if k.layer != layer || k.mark.Page != n || !k.mark.Body.Bounds().Grow(best+1).Contains(p) {
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

// recoloured(version, color) gives the mark in another colour.
func recoloured(a []js.Value) (any, error) {
	m := marks[a[0].String()].mark
	m.Body = m.Body.Recoloured(mark.Color(a[1].String()))
	return asJSON(m)
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
