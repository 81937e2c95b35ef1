package ink_test

import (
	"fmt"

	"readymargin/core/ink"
)

// A pen that is drawn straight gives hundreds of samples and a stroke of a few points.
func ExampleFit() {
	var samples []ink.Sample
	for i := range 300 {
		samples = append(samples, ink.Sample{X: 100 + float64(i)/2, Y: 200, Pressure: 0.5})
	}
	s := ink.Fit(samples)
	fmt.Println(len(s.Path) < 10, s.Path[0], s.Path[len(s.Path)-1])
	// Output: true {100 200} {249.5 200}
}
