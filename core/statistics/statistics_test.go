package statistics

import (
	"math"
	"math/rand/v2"
	"slices"
	"testing"

	"gonum.org/v1/gonum/stat"
)

func near(a, b float64) bool { return math.Abs(a-b) < 1e-9 || math.IsNaN(a) && math.IsNaN(b) }

// The worked example of the NIST/SEMATECH e-Handbook of Statistical Methods,
// 7.2.6.2 (values from memory): the 90th percentile of twelve gauge readings.
func TestQuantile(t *testing.T) {
	gauge := []float64{95.1772, 95.1567, 95.1937, 95.1959, 95.1442, 95.0610, 95.1591, 95.1195, 95.1065, 95.0925, 95.1990, 95.1682}
	slices.Sort(gauge)
	if got := Quantile(gauge, 0.9); math.Abs(got-95.19807) > 1e-5 {
		t.Errorf("the 90th percentile is %v, want 95.19807", got)
	}
	for p, want := range map[float64]float64{0: 95.0610, 0.01: 95.0610, 1: 95.1990, 0.99: 95.1990} {
		if got := Quantile(gauge, p); got != want {
			t.Errorf("quantile %v is %v, want %v", p, got, want)
		}
	}
	if s := SpreadOf([]float64{4, 1, 3, 2}); s.Median != 2.5 || s.Lower != 1.25 || s.Upper != 3.75 || s.Mean != 2.5 || s.N != 4 || s.Smallest != 1 || s.Largest != 4 {
		t.Errorf("of 1, 2, 3, 4: %+v", s)
	}
	if s := SpreadOf([]float64{7}); s.Median != 7 || s.Lower != 7 || s.Upper != 7 {
		t.Errorf("of one: %+v", s)
	}
	if s := SpreadOf(nil); s.N != 0 {
		t.Errorf("of none: %+v", s)
	}
}

// F. J. Anscombe, Graphs in Statistical Analysis, The American Statistician 27,
// 1973 (values from memory): the correlation of the first set is 0.816. With two
// questions the rest of one is the other.
func TestDiscrimination(t *testing.T) {
	x := []float64{10, 8, 13, 9, 11, 14, 6, 4, 12, 7, 5}
	y := []float64{8.04, 6.95, 7.58, 8.81, 8.33, 9.96, 7.24, 4.26, 10.84, 4.82, 5.68}
	var rows [][]float64
	for i := range x {
		rows = append(rows, []float64{x[i], y[i]})
	}
	for q, item := range Items(rows, []float64{20, 20}) {
		if math.Abs(item.Discrimination-0.816) > 0.001 {
			t.Errorf("question %d goes with the other by %v, want 0.816", q, item.Discrimination)
		}
	}

	// Beside gonum, over made-up classes with gaps.
	random := rand.New(rand.NewPCG(1, 2))
	for range 50 {
		n, of := 3+random.IntN(40), []float64{2, 6, 1, 4}
		rows := make([][]float64, n)
		for i := range rows {
			able := random.Float64()
			for _, worth := range of {
				v := math.Round(4*worth*min(1, max(0, able+0.4*random.NormFloat64()))) / 4
				if random.IntN(15) == 0 {
					v = math.NaN()
				}
				rows[i] = append(rows[i], v)
			}
		}
		for q, item := range Items(rows, of) {
			var a, b, all []float64
			for _, row := range rows {
				if !math.IsNaN(row[q]) {
					all = append(all, row[q]/of[q])
				}
				sum := row[0] + row[1] + row[2] + row[3]
				if !math.IsNaN(sum) {
					a, b = append(a, row[q]), append(b, sum-row[q])
				}
			}
			want := math.NaN()
			if len(a) >= 3 {
				want = stat.Correlation(a, b, nil)
			}
			if !near(item.Discrimination, want) || len(all) > 0 && !near(item.Difficulty, stat.Mean(all, nil)) || item.N != len(all) {
				t.Errorf("question %d: %+v, want %v and %v", q, item, stat.Mean(all, nil), want)
			}
		}
	}
	for name, rows := range map[string][][]float64{"two students": {{1, 2}, {2, 1}}, "all alike": {{1, 2}, {1, 1}, {1, 0}}} {
		if d := Items(rows, []float64{2, 2})[0].Discrimination; !math.IsNaN(d) {
			t.Errorf("%s: %v", name, d)
		}
	}
}

func TestWeighted(t *testing.T) {
	for _, c := range []struct {
		parts []Share
		want  float64
		ok    bool
	}{
		{[]Share{{5, 10, 1}, {20, 20, 1}}, 0.75, true},
		{[]Share{{5, 10, 3}, {20, 20, 1}}, 0.625, true},
		{[]Share{{5, 10, 1}, {0, 0, 9}}, 0.5, true},
		{[]Share{{5, 10, 0}, {3, 4, 2}}, 0.75, true},
		{[]Share{{0, 0, 1}}, 0, false}, {nil, 0, false},
	} {
		if got, ok := Weighted(c.parts); ok != c.ok || !near(got, c.want) {
			t.Errorf("%v is %v, %v", c.parts, got, ok)
		}
	}
}
