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
		for i, th := range Threads(c.said) {
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
