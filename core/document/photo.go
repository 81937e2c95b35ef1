package document

import "errors"

// What can be wrong with a photograph of a telephone. Each is one sentence for people; see web.
var (
	ErrNoPhotos = errors.New("photo: heif-convert is not installed")
	ErrPhoto    = errors.New("photo: the photograph cannot be read")
)
