package intake

import (
	"context"
	"time"

	"readymargin/core/document"
	"readymargin/core/recording"
)

// An Engine reads and writes PDF files; pdf.Pool is one.
type Engine interface {
	Limits() document.Limits
	Inspect(ctx context.Context, file []byte) ([]document.Page, error)
	Sizes(ctx context.Context, file []byte) ([]document.Page, error)
	Picture(ctx context.Context, file []byte, page int, scale float64) (document.Picture, error)
	Print(ctx context.Context, file []byte, what document.Export) ([]byte, error)
	SheetOf(ctx context.Context, picture []byte) ([]byte, error)
	Fonts(ctx context.Context, file []byte) ([][]string, error)
	Repaint(ctx context.Context, picture []byte, how document.Painting) ([]byte, error)
	Carries(ctx context.Context, file []byte) (document.Carried, error)
	Assemble(ctx context.Context, files [][]byte, leaves []document.PageRef) ([]byte, error)
}

// An Office turns documents of office programs into PDF; office.LibreOffice
// is one.
type Office interface {
	Knows(file []byte) bool // whether a file is a document that can be turned
	PDF(ctx context.Context, file []byte) (document.Converted, error)
	// Replaced says which of the fonts that a document asks for were replaced;
	// pages has the names of the fonts on each page of its PDF.
	Replaced(ctx context.Context, asked []string, pages [][]string) []document.Replaced
}

// A Photos turns the photographs of telephones into JPEG; photo.Heif is one.
type Photos interface {
	Knows(file []byte) bool // whether a file is such a photograph
	JPEG(ctx context.Context, file []byte) ([]byte, error)
}

// A Transcoder takes recordings in; sound.Ffmpeg is one.
type Transcoder interface {
	Normalise(ctx context.Context, recorded []byte, most time.Duration, cut recording.Cut) (recording.Clip, error)
}

// An IntakeStore keeps what people bring.
type IntakeStore interface {
	PutBlob(ctx context.Context, b []byte) (hash string, err error)
}
