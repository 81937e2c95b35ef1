// Command corpus opens the files that scripts/corpus.sh has fetched, beside
// poppler, and lists those that poppler opens and Ready Margin does not: to look
// at a page, to read all pages, and to hand them out. Of annotated ones it says
// what became of each annotation that is no mark of its kind.
package main

import (
	"bufio"
	"bytes"
	"context"
	"flag"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"time"

	"readymargin/core/annotation"
	"readymargin/core/document"
	"readymargin/e2e/house"
	"readymargin/pdf"
)

func main() {
	list := flag.String("files", "", "a file with the names of PDF files, one a line")
	flag.Parse()
	if err := run(*list); err != nil {
		fmt.Fprintln(os.Stderr, err)
		os.Exit(1)
	}
}

func run(list string) error {
	f, err := os.Open(list)
	if err != nil {
		return err
	}
	defer f.Close()
	pool, err := pdf.NewPool(pdf.Config{Command: []string{house.Binary(), "pdf-worker"}, Cache: house.Cache()})
	if err != nil {
		return err
	}
	defer pool.Close()
	opened, refused, seen := 0, 0, map[string]bool{}
	marks := &tally{all: map[annotation.Subtype]int{}, kept: map[annotation.Subtype]int{}}
	for s := bufio.NewScanner(f); s.Scan(); {
		name := s.Text()
		b, err := os.ReadFile(name)
		if err != nil {
			return err
		}
		if key := fmt.Sprint(len(b), filepath.Base(name)); seen[key] {
			continue
		} else {
			seen[key] = true
		}
		if !popplerOpens(name) {
			continue
		}
		opened++
		if what, err := opens(pool, b); err != nil {
			refused++
			fmt.Printf("%-10s %-60s %v\n", what, filepath.Base(name), err)
			continue
		}
		marks.taken(pool, name, b)
	}
	fmt.Printf("poppler opens %d files; %d of them are refused here (%.2f %%)\n", opened, refused, 100*float64(refused)/float64(max(opened, 1)))
	marks.print()
	return nil
}

// popplerOpens reports whether poppler paints the first page without a password.
func popplerOpens(name string) bool {
	ctx, cancel := context.WithTimeout(context.Background(), 30*time.Second)
	defer cancel()
	var out bytes.Buffer
	cmd := exec.CommandContext(ctx, "pdftoppm", "-r", "10", "-f", "1", "-l", "1", name)
	cmd.Stdout = &out
	return cmd.Run() == nil && out.Len() > 0
}

// opens does with a file what a worksheet needs; what is the step that failed.
func opens(pool *pdf.Pool, file []byte) (what string, err error) {
	ctx := context.Background()
	pages, err := pool.Inspect(ctx, file)
	if err != nil {
		return "read", err
	}
	if _, err := pool.Picture(ctx, file, 1, 0.25); err != nil {
		return "look", err
	}
	refs := make([]document.PageRef, len(pages))
	for i := range refs {
		refs[i].Page = i + 1
	}
	out, err := pool.Assemble(ctx, [][]byte{file}, refs)
	if err != nil {
		return "hand out", err
	}
	if _, err := pool.Inspect(ctx, out); err != nil {
		return "handed out", err
	}
	return "", nil
}
