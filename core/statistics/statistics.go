// Package statistics computes the figures of a mark book. It does not know
// students, tables or points; it is given numbers.
package statistics

import (
	"math"
	"slices"

	"gonum.org/v1/gonum/stat"
)

// A Spread says how numbers are spread.
type Spread struct {
	N                 int
	Mean, Median      float64
	Lower, Upper      float64 // quartiles
	Smallest, Largest float64
}

// SpreadOf returns how numbers are spread; of none it is the zero value.
func SpreadOf(x []float64) Spread {
	if len(x) == 0 {
		return Spread{}
	}
	x = slices.Sorted(slices.Values(x))
	return Spread{len(x), stat.Mean(x, nil), Quantile(x, 0.5), Quantile(x, 0.25), Quantile(x, 0.75), x[0], x[len(x)-1]}
}

// Quantile returns the value below which the part p of sorted numbers lies: the
// one of rank p(N+1), between two of them in proportion, and never beyond the
// smallest or the largest (NIST/SEMATECH e-Handbook of Statistical Methods,
// 7.2.6.2).
func Quantile(sorted []float64, p float64) float64 {
	rank := p * float64(len(sorted)+1)
	k := int(rank)
	switch {
	case k < 1:
		return sorted[0]
	case k >= len(sorted):
		return sorted[len(sorted)-1]
	}
	return sorted[k-1] + (rank-float64(k))*(sorted[k]-sorted[k-1])
}

// An Item is how a question did in a class.
type Item struct {
	N              int     // who have points for it
	Difficulty     float64 // the mean share of its points that was reached, 0 to 1
	Discrimination float64 // how it goes with the others together, -1 to 1; NaN where that cannot be told
}

// Items returns how questions did. scores has a row for each student and a
// column for each question, NaN where there are no points; of has what each
// question is worth.
//
// Difficulty is the mean of the points reached, as a share of those to be had.
// Discrimination is the corrected item-total correlation: Pearson's between the
// points for a question and the sum of the others', over those who have points
// for all questions (L. Crocker and J. Algina, Introduction to Classical and
// Modern Test Theory, 1986, chapter 14). It takes three students who differ.
func Items(scores [][]float64, of []float64) []Item {
	out := make([]Item, len(of))
	var whole [][]float64
	for _, row := range scores {
		if !slices.ContainsFunc(row, math.IsNaN) {
			whole = append(whole, row)
		}
	}
	for q := range of {
		var got []float64
		for _, row := range scores {
			if !math.IsNaN(row[q]) {
				got = append(got, row[q])
			}
		}
		out[q] = Item{N: len(got), Discrimination: math.NaN()}
		if len(got) > 0 && of[q] > 0 {
			out[q].Difficulty = stat.Mean(got, nil) / of[q]
		}
		if len(whole) < 3 {
			continue
		}
		item, rest := make([]float64, len(whole)), make([]float64, len(whole))
		for i, row := range whole {
			for k, v := range row {
				if k == q {
					item[i] = v
				} else {
					rest[i] += v
				}
			}
		}
		out[q].Discrimination = stat.Correlation(item, rest, nil) // NaN where one of them does not vary
	}
	return out
}

// A Share is what was reached of what was to be had in a part of a course.
type Share struct {
	Got, Of float64
	Weight  float64
}

// Weighted returns the share that was reached over all parts, each by its
// weight; parts in which there was nothing to be had count for nothing. It
// reports false where there was nothing at all.
func Weighted(parts []Share) (share float64, ok bool) {
	sum := 0.0
	for _, p := range parts {
		if p.Of > 0 && p.Weight > 0 {
			share += p.Weight * p.Got / p.Of
			sum += p.Weight
		}
	}
	if sum == 0 {
		return 0, false
	}
	return share / sum, true
}
