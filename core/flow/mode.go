package flow

// A Mode is how a worksheet is given.
type Mode string

const (
	CopyEach  Mode = "copy"   // everybody has an own copy, and submits it
	ToRead    Mode = "read"   // nobody writes on it
	OneForAll Mode = "shared" // everybody writes on the same copy, which is not submitted
)

// Known reports whether w is one of the ways.
func (w Mode) Known() bool { return w == CopyEach || w == ToRead || w == OneForAll }
