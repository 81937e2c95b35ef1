package submission

import (
	"encoding/json"
	"fmt"
	"math/rand/v2"
	"reflect"
	"testing"

	"readymargin/core/mark"
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

func shown(s *State) (out []string) {
	for _, w := range s.Present() {
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
			var s State
			for _, o := range ops {
				if err := s.Apply(o); err != nil {
					t.Fatalf("%s: %v", st.name, err)
				}
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
		var s State
		if s.Apply(o) == nil {
			t.Errorf("%s: taken", name)
		}
		if len(s.Present()) != 0 {
			t.Errorf("%s: left something behind", name)
		}
	}
}

func TestASnapshotIsTheSameForTheSameWork(t *testing.T) {
	ops := []Op{put(1, "mark-aaaa", 0, "a"), put(2, "mark-bbbb", 0, "b"), put(3, "mark-cccc", 0, "c")}
	forms := map[string]bool{}
	for _, order := range [][]int{{0, 1, 2}, {2, 1, 0}, {1, 2, 0}} {
		var s State
		for _, i := range order {
			s.Apply(ops[i])
		}
		b, err := NewSnapshot("abc", nil, 1, s.Present()).Canonical()
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
