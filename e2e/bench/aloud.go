package main

import (
	"os"
	"os/exec"
	"path/filepath"
	"strings"

	"readymargin/core/inwords"
	"readymargin/core/page"
	"readymargin/demo"
	"readymargin/e2e/house"
	"readymargin/voice"
)

// aloud: a sentence said for the first time, beside espeak-ng's own command and ffmpeg
// making the same sound, and found again; a page brought into words, beside the reading
// of it.
func (b *bench) aloud() ([]line, error) {
	const text = "Entering from the north, keep clear of the Carrick rocks, which dry 1.2 metres, and of the overfalls west of the light."
	dir, err := os.MkdirTemp("", "aloud-*")
	if err != nil {
		return nil, err
	}
	defer os.RemoveAll(dir)
	shelf, err := voice.NewShelf(voice.Program{Command: []string{filepath.Join(house.Root(), "bin", "readymargin-voice")}}, filepath.Join(dir, "kept"))
	if err != nil {
		return nil, err
	}
	n := 0
	said, err := median(9, func() error {
		n++
		_, _, err := shelf.Say(b.ctx, strings.Repeat(" ", n)+text, "en")
		return err
	})
	if err != nil {
		return nil, err
	}
	command, err := median(9, func() error {
		return exec.Command("sh", "-c", `espeak-ng -v en-gb --stdout "$1" | ffmpeg -v error -y -i - -c:a libopus -b:a 28k -application voip "$2"`, "sh", text, filepath.Join(dir, "out.webm")).Run()
	})
	if err != nil {
		return nil, err
	}
	again, err := median(9, func() error {
		_, _, err := shelf.Say(b.ctx, " "+text, "en")
		return err
	})
	if err != nil {
		return nil, err
	}
	file, err := demo.TideHeights()
	if err != nil {
		return nil, err
	}
	pages, err := b.house.Engine.Inspect(b.ctx, file)
	if err != nil {
		return nil, err
	}
	read, err := median(5, func() error { _, err := b.house.Engine.Inspect(b.ctx, file); return err })
	if err != nil {
		return nil, err
	}
	guides := pages[0].Guide()
	layer := pages[0].TextLayer()
	words, err := median(9, func() error {
		for range 10 {
			inwords.Of(layer, guides, page.Pt(pages[0].Width, pages[0].Height))
		}
		return nil
	})
	if err != nil {
		return nil, err
	}
	return []line{
		{"a sentence said, the first time", said, command, "ms", 2, false, "espeak-ng and ffmpeg by their commands"},
		{"the same again", again, said, "ms", 0.1, false, "the first time"},
		{"a page in words, ten times", words, read, "ms", 1, false, "the reading of the file"},
	}, nil
}
