package document

import "time"

// Limits are the bounds inside which a file is opened.
type Limits struct {
	Bytes  int64         `json:"bytes"`
	Pages  int           `json:"pages"`
	Side   float64       `json:"side"`   // longest page side, points
	Time   time.Duration `json:"time"`   // for one piece of work
	Memory int64         `json:"memory"` // bytes, in one worker, beside the program itself
}

// DefaultLimits are 60 MiB, 200 pages, 5 m, 20 s and 256 MiB.
var DefaultLimits = Limits{60 << 20, 200, 5 / 0.0254 * 72, 20 * time.Second, 256 << 20}
