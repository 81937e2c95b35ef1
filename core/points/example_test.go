package points_test

import (
	"fmt"

	"readymargin/core/points"
)

// Points come as people write them, and halves and quarters add up exactly.
func ExampleParse() {
	var sum points.Points
	for _, s := range []string{"7", "2,5", "0.25", "a few"} {
		p, err := points.Parse(s)
		if err != nil {
			fmt.Println(err)
			continue
		}
		sum += p
	}
	fmt.Println(sum)
	// Output:
	// points: a number from 0, in steps of a quarter
	// 9.75
}
