package submission

import (
	"encoding/json"
	"fmt"
	"math/rand/v2"
	"reflect"
	"slices"
	"testing"

	"readymargin/core/mark"
	"readymargin/core/page"
)

func text(on, s string) *mark.Mark {
	return &mark.Mark{ID: on, Page: 1, Body: &mark.FreeText{X: 10, Y: 20, Width: 50,
		Lines: []mark.TextLine{{Runs: []mark.Run{{Text: s, Size: 14, Color: "#1e2a44"}}}}}}
}

// put and remove give operations with names that sort by n.
func put(n int, on string, base int, s string) Op {
	return Op{ID: name(n), On: on, Base: name(base), Mark: text(on, s)}
}
func remove(n int, on string, base int) Op { return Op{ID: name(n), On: on, Base: name(base)} }
func name(n int) string {
	if n == 0 {
		return ""
	}
	return fmt.Sprintf("operation-%03d", n)
}

func shown(s *Board) (out []string) {
	for _, w := range s.Present(Work) {
		text := w.Mark.Body.(*mark.FreeText).String()
		if w.Conflict {
			text += " (beside)"
		}
		out = append(out, text)
	}
	return out
}

var stories = []struct {
	name string
	ops  []Op
	want []string
}{
	{"one mark", []Op{put(1, "mark-aaaa", 0, "4.5")}, []string{"4.5"}},
	{"changed twice", []Op{put(1, "mark-aaaa", 0, "4"), put(2, "mark-aaaa", 1, "4.5"), put(3, "mark-aaaa", 2, "4.5 m")}, []string{"4.5 m"}},
	{"removed", []Op{put(1, "mark-aaaa", 0, "4"), remove(2, "mark-aaaa", 1)}, nil},
	{"removed and put back", []Op{put(1, "mark-aaaa", 0, "4"), remove(2, "mark-aaaa", 1), put(3, "mark-aaaa", 2, "4")}, []string{"4"}},
	{"two marks", []Op{put(1, "mark-aaaa", 0, "a"), put(2, "mark-bbbb", 0, "b"), put(3, "mark-aaaa", 1, "aa")}, []string{"aa", "b"}},
	{"two devices on the same version: both stay, the later made leads", []Op{put(1, "mark-aaaa", 0, "old"), put(2, "mark-aaaa", 1, "laptop"), put(3, "mark-aaaa", 1, "tablet")}, []string{"laptop (beside)", "tablet"}},
	{"removed here, changed there: the change stays", []Op{put(1, "mark-aaaa", 0, "old"), remove(2, "mark-aaaa", 1), put(3, "mark-aaaa", 1, "typed")}, []string{"typed"}},
	{"the one beside is dropped", []Op{put(1, "mark-aaaa", 0, "old"), put(2, "mark-aaaa", 1, "laptop"), put(3, "mark-aaaa", 1, "tablet"), remove(4, "mark-aaaa", 2)}, []string{"tablet"}},
	{"removed on both", []Op{put(1, "mark-aaaa", 0, "old"), remove(2, "mark-aaaa", 1), remove(3, "mark-aaaa", 1)}, nil},
}

func TestAnyOrderAndAnyRepetitionGiveTheSamePresent(t *testing.T) {
	random := rand.New(rand.NewPCG(3, 4))
	for _, st := range stories {
		for round := range 200 {
			ops := append([]Op(nil), st.ops...)
			for range round % 4 { // some are sent twice
				ops = append(ops, st.ops[random.IntN(len(st.ops))])
			}
			random.Shuffle(len(ops), func(i, k int) { ops[i], ops[k] = ops[k], ops[i] })
			var s Board
			screen := map[string]Entry{} // as one is that hears of what becomes of the board
			for _, o := range ops {
				d, err := s.Apply(Work, o)
				if err != nil {
					t.Fatalf("%s: %v", st.name, err)
				}
				for _, v := range d.Gone {
					if _, there := screen[v]; !there {
						t.Fatalf("%s: %s goes and was not there", st.name, v)
					}
					delete(screen, v)
				}
				for _, e := range d.Put {
					screen[e.Version] = e
				}
			}
			for _, w := range s.Present(Work) {
				if !reflect.DeepEqual(screen[w.Version], Entry{w, Work}) {
					t.Fatalf("%s: the screen has %+v of %s", st.name, screen[w.Version], w.Version)
				}
			}
			if on := s.On([]Layer{Work}, 1); len(on) != len(screen) || !slices.IsSortedFunc(on, before) {
				t.Fatalf("%s: %d on the screen, on the board %v", st.name, len(screen), on)
			}
			if got := shown(&s); !reflect.DeepEqual(got, st.want) {
				t.Fatalf("%s: %v after %v, want %v", st.name, got, ops, st.want)
			}
		}
	}
}

func TestOperationsThatAreRefused(t *testing.T) {
	wrongMark := put(1, "mark-aaaa", 0, "x")
	wrongMark.On = "mark-bbbb"
	for name, o := range map[string]Op{
		"no name":                 {On: "mark-aaaa", Mark: text("mark-aaaa", "x")},
		"removes nothing":         remove(1, "mark-aaaa", 0),
		"made on itself":          put(1, "mark-aaaa", 1, "x"),
		"another mark than named": wrongMark,
		"empty text":              put(1, "mark-aaaa", 0, ""),
	} {
		var s Board
		if _, err := s.Apply(Work, o); err == nil {
			t.Errorf("%s: taken", name)
		}
		if len(s.Present(Work)) != 0 {
			t.Errorf("%s: left something behind", name)
		}
	}
}

func TestASnapshotIsTheSameForTheSameWork(t *testing.T) {
	ops := []Op{put(1, "mark-aaaa", 0, "a"), put(2, "mark-bbbb", 0, "b"), put(3, "mark-cccc", 0, "c")}
	forms := map[string]bool{}
	for _, order := range [][]int{{0, 1, 2}, {2, 1, 0}, {1, 2, 0}} {
		var s Board
		for _, i := range order {
			if _, err := s.Apply(Work, ops[i]); err != nil {
				t.Fatal(err)
			}
		}
		b, err := NewSnapshot("abc", nil, 1, s.Present(Work)).Canonical()
		if err != nil {
			t.Fatal(err)
		}
		forms[string(b)] = true
		var back Snapshot
		if err := json.Unmarshal(b, &back); err != nil || len(back.Marks) != 3 {
			t.Fatalf("read back %d marks: %v", len(back.Marks), err)
		}
	}
	if len(forms) != 1 {
		t.Errorf("%d different forms of the same work", len(forms))
	}
}

func TestLayers(t *testing.T) {
	for l, n := range map[Layer]int{Feedback(2): 2, Work: 0, "feedback.": 0, "feedback.x": 0, "feedback.01": 0, "feedback.+1": 0, "feedback. 1": 0, "feedback.0": 0, "feedback.-1": 0} {
		if got := l.Attempt(); got != n {
			t.Errorf("%s is about attempt %d, want %d", l, got, n)
		}
		if known := n > 0 || l == Work; l.Known() != known {
			t.Errorf("%s known: %v", l, l.Known())
		}
	}
}

// What lies on a board is found from the front, by layer and page; what others
// did comes in whole versions; what is fixed stands beside nothing.
func TestABoardOnAScreen(t *testing.T) {
	square := func(id string, rank int, x float64) mark.Mark {
		return mark.Mark{ID: id, Page: 1, Rank: rank, Body: &mark.Square{Shape: mark.Shape{Color: "#1e2a44", Width: 1, Opacity: 1}, Rect: [4]float64{x, 10, x + 20, 30}}}
	}
	var b Board
	b.Put(Work, "version-1", square("mark-aaaa", 0, 10))
	b.Put(Work, "version-2", square("mark-bbbb", -1, 12))
	b.Put(Own, "version-3", square("mark-cccc", 1, 14))
	b.Lay(Work, "fixed-1", square("mark-dddd", 0, 100))
	b.Lay(Work, "fixed-2", square("mark-dddd", 0, 100))
	both := []Layer{Work, Own}
	for _, c := range []struct {
		layers []Layer
		page   int
		x      float64
		want   string
	}{{both, 1, 20, "version-3"}, {[]Layer{Work}, 1, 20, "version-1"}, {both, 2, 20, ""}, {both, 1, 9, "version-1"}, {both, 1, 60, ""}, {both, 1, 110, "fixed-2"}} {
		if got := b.Hit(c.layers, c.page, page.Pt(c.x, 10), 3); got != c.want {
			t.Errorf("at %v of %v is %q, want %q", c.x, c.layers, got, c.want)
		}
	}
	if e, _ := b.Entry("fixed-1"); e.Conflict {
		t.Error("of what is fixed one stands beside the other")
	}
	if got := b.Within(both, 1, []page.Point{page.Pt(0, 0), page.Pt(50, 0), page.Pt(50, 50), page.Pt(0, 50)}); !slices.Equal(got, []string{"version-2", "version-1", "version-3"}) {
		t.Errorf("within the loop are %v", got)
	}
	if b.Base("mark-aaaa") != "version-1" || b.Base("mark-zzzz") != "" {
		t.Errorf("a change is made on %q and %q", b.Base("mark-aaaa"), b.Base("mark-zzzz"))
	}
	d := b.Put(Work, "version-9", square("mark-aaaa", 0, 10)) // made elsewhere on an older version
	if len(d.Put) != 2 || len(d.Gone) != 0 || b.Base("mark-aaaa") != "version-9" {
		t.Errorf("another version: %+v", d)
	}
	d = b.Drop("version-9")
	if len(d.Put) != 1 || d.Put[0].Conflict || !slices.Equal(d.Gone, []string{"version-9"}) {
		t.Errorf("without it: %+v", d)
	}
}

func TestWhatWasChangedSince(t *testing.T) {
	text := func(id, s string) mark.Mark { return *text(id, s) }
	moved := text("moved", "there")
	moved.Page = 2
	before := []mark.Mark{text("same", "one"), text("altered", "neap"), text("taken-away", "gone"), text("moved", "there")}
	after := []mark.Mark{text("fresh", "new"), text("same", "one"), moved, text("altered", "spring")}
	added, changed, gone := Since(before, after)
	if !slices.Equal(added, []string{"fresh"}) || !slices.Equal(changed, []string{"moved", "altered"}) || len(gone) != 1 || gone[0].ID != "taken-away" {
		t.Errorf("added %v, changed %v, gone %v", added, changed, gone)
	}
	if a, c, g := Since(before, before); len(a)+len(c)+len(g) > 0 {
		t.Errorf("of the same: %v, %v, %v", a, c, g)
	}
}
