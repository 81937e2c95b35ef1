// Package margin sets what is said about a page beside it, as on the screen: each
// card level with what it speaks about, or as near to it as the others let it be.
// All lengths are points in page space.
package margin

// A Card is what is to be set: where on the page it speaks about something, and how
// high it is.
type Card struct{ Level, Height float64 }

// Place returns where the cards begin that find room between top and bottom, in
// their order, with gap between them. Cards are given by their levels, the highest
// first. What has no room any more is left to the next page: fewer tops are
// returned than there are cards.
func Place(cards []Card, top, bottom, gap float64) (tops []float64) {
	room := bottom - top + gap
	for _, c := range cards {
		if room -= c.Height + gap; room < 0 {
			break
		}
		tops = append(tops, c.Level)
	}
	at := top
	for i := range tops {
		tops[i] = max(tops[i], at)
		at = tops[i] + cards[i].Height + gap
	}
	foot := bottom
	for i := len(tops) - 1; i >= 0; i-- {
		tops[i] = min(tops[i], foot-cards[i].Height)
		foot = tops[i] - gap
	}
	return tops
}
