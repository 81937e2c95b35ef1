package flow

// A Mode is how a worksheet is given.
type Mode string

const (
	CopyEach  Mode = "copy"   // everybody has an own copy, and submits it
	OwnPages  Mode = "own"    // everybody brings pages of their own, and submits them
	ToKeep    Mode = "keep"   // everybody has an own copy, which is theirs and is not submitted
	ToRead    Mode = "read"   // nobody writes on it but for oneself
	OneForAll Mode = "shared" // everybody writes on the same copy, which is not submitted
)

// Known reports whether w is one of the ways.
func (w Mode) Known() bool {
	return w == CopyEach || w == OwnPages || w == ToKeep || w == ToRead || w == OneForAll
}

// HandedIn reports whether what is given so is submitted, marked and returned.
func (w Mode) HandedIn() bool { return w == CopyEach || w == OwnPages }
