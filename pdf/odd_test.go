package pdf

import (
	"context"
	"testing"

	"readymargin/core/document"
)

// Files that break the standard here and there, as other programs' own tests
// have them, and that readers open all the same: each can be read, looked at
// and handed out, and what is handed out looks the same.
func TestOddFilesAreTaken(t *testing.T) {
	const catalog, tree, page, font = "<</Type/Catalog/Pages 2 0 R>>", "<</Type/Pages/Count 1/Kids[3 0 R]/MediaBox[0 0 200 200]/Resources<</Font<</F1 4 0 R>>>>>>", "<</Type/Page/Parent 2 0 R/Contents 5 0 R>>", "<</Type/Font/Subtype/Type1/BaseFont/Helvetica>>"
	text := stream("", "BT /F1 24 Tf 20 100 Td (Sea) Tj ET 0 0 1 rg 20 20 100 30 re f")
	plain := raw("", catalog, tree, page, font, text)
	version := append([]byte("%PDF-1.8"), plain[8:]...)
	for name, file := range map[string][]byte{
		"as it should be":             plain,
		"a version there is not":      version,
		"a page tree without a count": raw("", catalog, "<</Type/Pages/Kids[3 0 R]/MediaBox[0 0 200 200]/Resources<</Font<</F1 4 0 R>>>>>>", page, font, text),
		"a page for a page tree":      raw("", catalog, "<</Type/Page/MediaBox[0 0 200 200]/Resources<</Font<</F1 4 0 R>>>>/Contents 5 0 R>>", page, font, text),
		"content that is not packed":  raw("", catalog, tree, "<</Type/Page/Parent 2 0 R/Contents[6 0 R 5 0 R]>>", font, text, stream("/Filter/FlateDecode", "this was never packed")),
		"an unheard-of filter":        raw("", catalog, tree, "<</Type/Page/Parent 2 0 R/Contents[6 0 R 5 0 R]>>", font, text, stream("/Filter/PlateDecode", "0 0 100 100 re f")),
		"a cropped box out of range":  raw("", catalog, tree, "<</Type/Page/Parent 2 0 R/Contents 5 0 R/CropBox[-900 -900 900 900]>>", font, text),
		"a length that is no number":  raw("", catalog, tree, page, font, "<</Length(much)>>\nstream\nBT /F1 24 Tf 20 100 Td (Sea) Tj ET 0 0 1 rg 20 20 100 30 re f\nendstream"),
		"no cross-reference table":    append(append([]byte{}, plain[:len(plain)-200]...), "\ntrailer\n<</Size 6/Root 1 0 R>>\n%%EOF\n"...),
	} {
		ctx := context.Background()
		pages, err := pool.Inspect(ctx, file)
		if err != nil || len(pages) != 1 {
			t.Errorf("%s: reading: %d pages, %v", name, len(pages), err)
			continue
		}
		was, err := pool.Picture(ctx, file, 1, 1)
		if err != nil {
			t.Errorf("%s: looking: %v", name, err)
			continue
		}
		out, err := pool.Assemble(ctx, [][]byte{file}, []document.PageRef{{Page: 1}})
		if err != nil {
			t.Errorf("%s: handing out: %v", name, err)
			continue
		}
		tool(t, "qpdf", "--check", written(t, out))
		is, err := pool.Picture(ctx, out, 1, 1)
		if err != nil || !alike(decoded(t, was), decoded(t, is)) {
			t.Errorf("%s: looks otherwise when handed out (%v)", name, err)
		}
	}
}

// A worker that has just compiled the engine holds what that took; it is
// replaced before it serves, so that no file pays for it, however long the
// compiling took.
func TestTheFirstWorkerIsAsGoodAsTheNext(t *testing.T) {
	limits := document.DefaultLimits
	limits.Memory = 40 << 20
	cold, err := NewPool(Config{Command: pool.cfg.Command, Cache: t.TempDir(), Workers: 1, Limits: limits})
	if err != nil {
		t.Fatal(err)
	}
	defer cold.Close()
	if _, err := cold.Inspect(context.Background(), answersInside); err != nil {
		t.Errorf("the first file: %v", err)
	}
}
