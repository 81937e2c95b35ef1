package main

import (
	"context"
	"encoding/json"
	"flag"
	"fmt"
	"os"
	"strings"

	"readymargin/core/dictation"
	"readymargin/core/speech"
	"readymargin/pocketsphinx"
	"readymargin/school/dictate"
)

// A hearing is what hear prints: the words that were heard, and how they are written.
type hearing struct {
	Words []speech.Word `json:"words"`
	Text  string        `json:"text"`
}

// hear writes down what is said in a file, for people who want to know how well.
func hear(ctx context.Context, args []string) error {
	var o options
	f := o.flags("hear")
	sheet := f.String("sheet", "", "the PDF that is spoken about, whose words are to be expected")
	asJSON := f.Bool("json", false, "print words with times in milliseconds, and how sure they are, as JSON")
	files, err := filesAmong(f, args)
	if err != nil {
		return err
	}
	if len(files) != 1 {
		fmt.Fprintln(os.Stderr, "readymargin hear FILE.wav [-sheet SHEET.pdf] [-json]")
		return flag.ErrHelp
	}
	sound := speech.Sound{Language: "en"}
	if sound.Data, err = os.ReadFile(files[0]); err != nil {
		return err
	}
	if *sheet != "" {
		press, err := o.press()
		if err != nil {
			return err
		}
		defer press.Close()
		_, pages, err := inspected(ctx, press, *sheet)
		if err != nil {
			return err
		}
		for _, p := range pages {
			sound.Printed = append(sound.Printed, dictate.Passages(p.TextLayer())...)
		}
	}
	heard, err := pocketsphinx.Recogniser{}.Recognise(ctx, sound)
	if err != nil {
		return err
	}
	out := hearing{append([]speech.Word{}, heard...), dictation.Text(dictation.NewWriter(sound.Printed).Write(heard))}
	if *asJSON {
		return json.NewEncoder(os.Stdout).Encode(out)
	}
	fmt.Println(strings.TrimSpace(out.Text))
	return nil
}
