package flow

// A Way is how a worksheet is given.
type Way string

const (
	CopyEach  Way = "copy"   // everybody has an own copy, and submits it
	ToRead    Way = "read"   // nobody writes on it
	OneForAll Way = "shared" // everybody writes on the same copy, which is not submitted
)

// Known reports whether w is one of the ways.
func (w Way) Known() bool { return w == CopyEach || w == ToRead || w == OneForAll }
