package note

import (
	"reflect"
	"testing"
	"time"

	"readymargin/core/mark"
)

func TestThreadsStandInTheOrderOfTheirPlaces(t *testing.T) {
	at := func(minute int) time.Time { return time.Date(2026, 11, 25, 10, minute, 0, 0, time.UTC) }
	said := func(id string, page int, y float64, text string) Said {
		return Said{mark.Mark{ID: id, Page: page, Body: &mark.Note{At: [2]float64{50, y}, Text: text}}, Remark{Author: "Ms Thorvald", At: at(0)}}
	}
	reply := func(id, to, text string, minute int) Said {
		return Said{mark.Mark{ID: id, Page: 1, Body: &mark.Reply{To: to, Text: text}}, Remark{Author: "Ines", At: at(minute)}}
	}
	tick := Said{Mark: mark.Mark{ID: "mark-tick", Page: 1, Body: &mark.Stamp{Name: "tick", Color: "#c22f20", Rect: [4]float64{1, 1, 20, 20}}}}
	for _, c := range []struct {
		name string
		said []Said
		want [][]string
	}{
		{"nothing", nil, nil},
		{"by page, then by height", []Said{said("note-cccc", 2, 10, "c"), said("note-bbbb", 1, 300, "b"), tick, said("note-aaaa", 1, 20, "a")}, [][]string{{"a"}, {"b"}, {"c"}}},
		{"answers by time, whichever came in first", []Said{reply("repl-2222", "note-aaaa", "second", 9), said("note-aaaa", 1, 20, "a"), reply("repl-1111", "note-aaaa", "first", 5)}, [][]string{{"a", "first", "second"}}},
		{"an answer to a note that is gone", []Said{reply("repl-1111", "note-gone", "alone", 5), said("note-aaaa", 1, 20, "a")}, [][]string{{"a"}}},
	} {
		var got [][]string
		for i, th := range Threads(c.said, func(string) (mark.Mark, bool) { return mark.Mark{}, false }) {
			if th.Number != i+1 {
				t.Errorf("%s: thread %d has the number %d", c.name, i+1, th.Number)
			}
			var texts []string
			for _, r := range th.Remarks {
				texts = append(texts, r.Text)
			}
			got = append(got, texts)
		}
		if !reflect.DeepEqual(got, c.want) {
			t.Errorf("%s: %v, want %v", c.name, got, c.want)
		}
	}
}

// A note about a mark stands beside it wherever it goes, and says so when it
// is gone.
func TestANoteGoesWithItsMark(t *testing.T) {
	box := func(page int, x, y float64) *mark.Mark {
		return &mark.Mark{ID: "mark-box1", Page: page, Body: &mark.Square{Shape: mark.Shape{Color: "#1e2a44", Width: 2, Opacity: 1}, Rect: [4]float64{x, y, x + 40, y + 20}}}
	}
	from := [2]float64{99, 199} // half a line's width outside the box at 100, 200
	about := &mark.Note{At: [2]float64{150, 205}, On: "mark-box1", From: &from, Quote: "ebb", Says: "ask", Text: "why?"}
	for name, c := range map[string]struct {
		note  *mark.Note
		mark  *mark.Mark
		page  int
		place [2]float64
		gone  bool
	}{
		"where it was":         {about, box(1, 100, 200), 1, [2]float64{150, 205}, false},
		"moved":                {about, box(1, 130, 260), 1, [2]float64{180, 265}, false},
		"on another page":      {about, box(2, 100, 200), 2, [2]float64{150, 205}, false},
		"taken away":           {about, nil, 1, [2]float64{150, 205}, true},
		"of an earlier kind":   {&mark.Note{At: [2]float64{150, 205}, On: "mark-box1", Text: "why?"}, box(1, 130, 260), 1, [2]float64{150, 205}, false},
		"about nothing at all": {&mark.Note{At: [2]float64{150, 205}, Text: "why?"}, nil, 1, [2]float64{150, 205}, false},
	} {
		all := Threads([]Said{{Mark: mark.Mark{ID: "note-aaaa", Page: 1, Body: c.note}}}, func(id string) (mark.Mark, bool) {
			if c.mark == nil || c.mark.ID != id {
				return mark.Mark{}, false
			}
			return *c.mark, true
		})
		if len(all) != 1 {
			t.Fatalf("%s: %d threads", name, len(all))
		}
		if th := all[0]; th.Page != c.page || th.Place != c.place || th.Gone != c.gone || th.Quote != c.note.Quote || th.Remarks[0].Says != c.note.Says {
			t.Errorf("%s: %+v", name, th)
		}
	}
}

func TestASettledNoteIsOpenAgainWhenMoreIsSaid(t *testing.T) {
	at := func(minute int) time.Time {
		if minute < 0 {
			return time.Time{} // not saved yet
		}
		return time.Date(2026, 11, 25, 10, minute, 0, 0, time.UTC)
	}
	note := Said{mark.Mark{ID: "note-asked", Page: 1, Body: &mark.Note{Text: "Why?", Says: "ask"}}, Remark{Author: "Ines", At: at(1)}}
	done := func(minute int) Said {
		return Said{mark.Mark{ID: "done-asked", Page: 1, Body: &mark.Reply{To: "note-asked", Done: true}}, Remark{Author: "Ms Thorvald", At: at(minute)}}
	}
	answer := func(minute int) Said {
		return Said{mark.Mark{ID: "says-asked", Page: 1, Body: &mark.Reply{To: "note-asked", Text: "Read on."}}, Remark{Author: "Ms Thorvald", At: at(minute)}}
	}
	for _, c := range []struct {
		name    string
		said    []Said
		settled bool
		remarks int
	}{
		{"asked", []Said{note}, false, 1},
		{"settled at once", []Said{note, done(2)}, true, 1},
		{"answered, then settled", []Said{note, answer(2), done(3)}, true, 2},
		{"settled, then more was said", []Said{done(2), note, answer(3)}, false, 2},
		{"settled just now", []Said{note, answer(3), done(-1)}, true, 2},
		{"more is said just now", []Said{note, done(3), answer(-1)}, false, 2},
		{"settled, of a note that is gone", []Said{done(2)}, false, 0},
	} {
		all := Threads(c.said, func(string) (mark.Mark, bool) { return mark.Mark{}, false })
		if c.remarks == 0 {
			if len(all) != 0 {
				t.Errorf("%s: %+v", c.name, all)
			}
			continue
		}
		if len(all) != 1 || (all[0].Done != nil) != c.settled || len(all[0].Remarks) != c.remarks {
			t.Errorf("%s: %+v", c.name, all)
		}
	}
}
