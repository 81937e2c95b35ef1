package plan

import (
	"errors"
	"slices"
	"testing"

	"readymargin/core/heldback"
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
		if err == nil && got[slices.IndexFunc(got, func(l Leaf) bool { return l.Page == 3 })].Proposal == nil {
			t.Errorf("%s: what was proposed is lost", name)
		}
	}
	if len(brought.Undecided()) != 1 || !brought.Whole() || !brought.SameSheet(brought) {
		t.Error("a file as it was brought in")
	}
	held, err := brought.Changed(Plan{{Page: 1, Use: Sheet}, {Page: 2, Use: Sheet}, {Page: 3, Use: Held, Decided: true}})
	if err != nil || held.Whole() || held.SameSheet(brought) || len(held.Undecided()) != 0 || len(held.Of(Held)) != 1 {
		t.Errorf("held: %v %v", held, err)
	}
	again, err := Parse(held.String())
	if err != nil || !again.SameSheet(held) || again[2].Proposal.Heading != "Answers" {
		t.Errorf("read again: %v %v", again, err)
	}
}
