package queue

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"
	"sync"
	"testing"
	"testing/synctest"
	"time"
)

// Who comes when: each case lists who asks, in this order, while somebody has
// the only turn, and the order in which they get theirs.
func TestTurns(t *testing.T) {
	for _, c := range []struct{ asked, got string }{
		{"a b c", "a b c"},
		{"a a a b c", "a b c a a"},     // ten pages of one do not stand before one of another
		{"a a b a b c", "a b c a b a"}, // rounds
		{"a b/look c/behind", "b/look a c/behind"},
		{"c/behind a/behind c/look a", "c/look a c/behind a/behind"},
	} {
		synctest.Test(t, func(t *testing.T) {
			q := New(Config{AtOnce: 1, PerOwner: 1})
			leave, err := q.EnterAs(context.Background(), "first")
			if err != nil {
				t.Fatal(err)
			}
			var got []string
			for who := range strings.FieldsSeq(c.asked) {
				go func() {
					name, lane, _ := strings.Cut(who, "/")
					ctx := In(For(context.Background(), name), map[string]Lane{"look": Look, "behind": Behind}[lane])
					leave, err := q.Enter(ctx)
					if err != nil {
						t.Error(err)
						return
					}
					got = append(got, who)
					time.Sleep(time.Second)
					leave()
				}()
				synctest.Wait()
			}
			leave()
			time.Sleep(time.Minute)
			synctest.Wait()
			if s := strings.Join(got, " "); s != c.got {
				t.Errorf("asked %q: got %q, want %q", c.asked, s, c.got)
			}
			if len(q.owners) != 0 || q.taken != 0 || len(q.waiting) != 0 {
				t.Errorf("left behind: %d owners, %d turns, %d waiting", len(q.owners), q.taken, len(q.waiting))
			}
		})
	}
}

// One turn is kept for what somebody looks at, and who waits hears how many
// are before them.
func TestATurnIsKeptForLooking(t *testing.T) {
	synctest.Test(t, func(t *testing.T) {
		q := New(Config{AtOnce: 2, Kept: 1, PerOwner: 1})
		enter := func(name string, l Lane, told func(int)) (got chan func()) {
			got = make(chan func(), 1)
			go func() {
				leave, err := q.Enter(Watch(In(For(context.Background(), name), l), told))
				if err != nil {
					t.Error(err)
				}
				got <- leave
			}()
			synctest.Wait()
			return got
		}
		var heard []int
		first := enter("upload", Asked, nil)
		second := enter("another upload", Asked, func(ahead int) { heard = append(heard, ahead) })
		look := enter("reader", Look, nil)
		if len(first) != 1 || len(second) != 0 || len(look) != 1 {
			t.Fatalf("turns: %d, %d, and %d for looking", len(first), len(second), len(look))
		}
		(<-look)()
		synctest.Wait()
		if len(second) != 0 {
			t.Error("an upload took the turn that is kept")
		}
		(<-first)()
		synctest.Wait()
		if (<-second)(); !slices.Equal(heard, []int{1, 2, 1, 0}) {
			t.Errorf("heard %v", heard)
		}
	})
}

// The bounds hold, whoever gives up is out at once, and no turn is lost.
func TestBoundsAndGivingUp(t *testing.T) {
	synctest.Test(t, func(t *testing.T) {
		q := New(Config{AtOnce: 3, PerOwner: 2, Waiting: 40})
		var mu sync.Mutex // giving up happens when time goes on, several at once
		now, most, all, full := map[string]int{}, map[string]int{}, 0, 0
		peak := 0
		for i := range 60 {
			go func() {
				ctx := context.Background()
				if i%3 == 0 { // gives up early
					var cancel func()
					ctx, cancel = context.WithTimeout(ctx, time.Duration(i)*time.Millisecond)
					defer cancel()
				}
				name := fmt.Sprint(i % 2)
				leave, err := q.EnterAs(ctx, name)
				mu.Lock()
				defer mu.Unlock()
				switch {
				case errors.Is(err, ErrFull):
					full++
					return
				case err != nil:
					return
				}
				all++
				now[name]++
				most[name] = max(most[name], now[name])
				peak = max(peak, now["0"]+now["1"])
				mu.Unlock()
				time.Sleep(10 * time.Millisecond)
				mu.Lock()
				now[name]--
				leave()
				leave() // twice does no harm
			}()
			synctest.Wait()
		}
		time.Sleep(time.Hour)
		synctest.Wait()
		if peak != 3 || !slices.Equal([]int{most["0"], most["1"]}, []int{2, 2}) && !slices.Equal([]int{most["0"], most["1"]}, []int{2, 1}) {
			t.Errorf("%d turns at once, %v for one owner", peak, most)
		}
		if full == 0 || all < 20 || len(q.owners) != 0 || q.taken != 0 || len(q.waiting) != 0 {
			t.Errorf("%d had a turn, %d were told that it is full; left behind: %d owners, %d turns, %d waiting", all, full, len(q.owners), q.taken, len(q.waiting))
		}
	})
}
