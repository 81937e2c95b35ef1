// Command bench measures Ready Margin beside references in the same run and
// prints a table: the work, our figure, the reference's, the ratio, the
// budget. Ratios count; absolute times drift from machine to machine.
package main

import (
	"context"
	"flag"
	"fmt"
	"os"
	"slices"
	"time"

	"readymargin/e2e/browser"
	"readymargin/e2e/house"
)

// A line of the table. With no reference, Budget is about Ours itself.
type line struct {
	work       string
	ours, ref  float64 // milliseconds, or a rate
	unit       string
	budget     float64 // of ours/ref, or of ours
	atLeast    bool    // the budget is a floor
	referenced string
}

func (l line) print() {
	value, against := l.ours, "—"
	ratio := "—"
	if l.ref > 0 {
		value = l.ours / l.ref
		against = fmt.Sprintf("%.1f %s (%s)", l.ref, l.unit, l.referenced)
		ratio = fmt.Sprintf("%.2f", value)
	}
	kept := value <= l.budget
	sign := "≤"
	if l.atLeast {
		kept, sign = value >= l.budget, "≥"
	}
	verdict := "kept"
	if !kept {
		verdict = fmt.Sprintf("MISSED by %.0f %%", 100*max(value/l.budget-1, 1-value/l.budget))
	}
	fmt.Printf("%-58s %10.1f %-5s %-38s ratio %-6s budget %s %-6g %s\n", l.work, l.ours, l.unit, against, ratio, sign, l.budget, verdict)
}

// median runs f several times, after one run that does not count.
func median(runs int, f func() error) (float64, error) {
	var all []float64
	for i := range runs + 1 {
		start := time.Now()
		if err := f(); err != nil {
			return 0, err
		}
		if i > 0 {
			all = append(all, float64(time.Since(start).Microseconds())/1000)
		}
	}
	return middle(all), nil
}

func middle(all []float64) float64 {
	s := slices.Sorted(slices.Values(all))
	return s[len(s)/2]
}

func percentile(all []float64, p float64) float64 {
	s := slices.Sorted(slices.Values(all))
	return s[min(int(p*float64(len(s))), len(s)-1)]
}

// A bench is what the measurements share.
type bench struct {
	ctx   context.Context
	house *house.House
	web   *browser.Browser
	took  []float64 // what a part timed itself, milliseconds
}

func main() {
	only := flag.String("only", "", "one of: render, print, away, aloud, scans, heard, save, rush, screens, shared, open, ink, next, across, lesson, spoken, memory, hostile, blanks, found, long, list")
	flag.Parse()
	if err := run(*only); err != nil {
		fmt.Fprintln(os.Stderr, err)
		os.Exit(1)
	}
}

func run(only string) error {
	h, err := house.Open(context.Background())
	if err != nil {
		return err
	}
	defer h.Close()
	b := &bench{ctx: context.Background(), house: h}
	if b.web, err = browser.Start(""); err != nil {
		return err
	}
	defer b.web.Stop()
	for _, part := range []struct {
		name string
		do   func() ([]line, error)
	}{{"render", b.render}, {"print", b.print}, {"away", b.away}, {"aloud", b.aloud}, {"scans", b.scans}, {"heard", b.heard}, {"save", b.save}, {"rush", b.rush}, {"screens", b.screens}, {"shared", b.shared}, {"open", b.open}, {"ink", b.ink}, {"next", b.next}, {"across", b.across}, {"lesson", b.lesson}, {"spoken", b.spoken}, {"memory", b.memory}, {"hostile", b.hostile}, {"blanks", b.blanks}, {"found", b.found}, {"long", b.long}, {"list", b.list}} {
		if only != "" && only != part.name {
			continue
		}
		lines, err := part.do()
		if err != nil {
			return fmt.Errorf("%s: %w", part.name, err)
		}
		for _, l := range lines {
			l.print()
		}
	}
	return nil
}
