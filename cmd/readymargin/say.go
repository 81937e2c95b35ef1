package main

import (
	"context"
	"encoding/json"
	"errors"
	"flag"
	"fmt"
	"os"
	"strings"

	"readymargin/core/aloud"
	"readymargin/voice"
)

// A saying is what say prints of a text: its language, and when each of its words is
// said, in milliseconds; -1 where nothing is said of one.
type saying struct {
	Language string       `json:"language"`
	Words    []saidWord   `json:"words"`
	Spoken   []saidPhrase `json:"spoken"` // sentence by sentence, as it is said
}

type saidWord struct {
	Text string `json:"text"`
	From int    `json:"from"`
	To   int    `json:"to"`
}

type saidPhrase struct {
	Text string `json:"text"`
	From int    `json:"from"`
}

// say reads a text aloud into a file, for people who want to hear how it will sound.
func say(ctx context.Context, args []string) error {
	f := flag.NewFlagSet("say", flag.ContinueOnError)
	out := f.String("o", "", "the WAV to write")
	tag := f.String("lang", "", "language of the text, as en or de; by default it is guessed")
	asJSON := f.Bool("json", false, "print the times of the words as JSON")
	files, err := filesAmong(f, args)
	if err != nil {
		return err
	}
	if len(files) != 1 || *out == "" {
		fmt.Fprintln(os.Stderr, "readymargin say TEXT.txt -o OUT.wav [-lang TAG] [-json]")
		return flag.ErrHelp
	}
	text, err := os.ReadFile(files[0])
	if err != nil {
		return err
	}
	wav, told, err := readOut(ctx, voice.Program{}, string(text), *tag)
	if err != nil {
		return err
	}
	if err := os.WriteFile(*out, wav, 0o644); err != nil {
		return err
	}
	if *asJSON {
		return json.NewEncoder(os.Stdout).Encode(told)
	}
	return nil
}

// readOut says a text sentence by sentence, one behind the other.
func readOut(ctx context.Context, engine aloud.Engine, text, tag string) (wav []byte, out saying, err error) {
	var tokens []aloud.Token
	for _, w := range strings.Fields(text) {
		tokens = append(tokens, aloud.Token{Text: w})
	}
	if tag == "" {
		tag = aloud.LanguageOf(tokens)
	}
	out = saying{Language: tag, Words: []saidWord{}, Spoken: []saidPhrase{}}
	var samples []byte
	rate := 0
	for _, s := range aloud.Sentences(tokens, tag) {
		said, err := engine.Say(ctx, s.Text, tag)
		if err != nil {
			return nil, out, err
		}
		here, r, err := aloud.Samples(said.WAV)
		if err != nil {
			return nil, out, err
		}
		begin := 0 // milliseconds
		if rate = r; rate > 0 {
			begin = len(samples) / 2 * 1000 / rate
		}
		out.Spoken = append(out.Spoken, saidPhrase{s.Text, begin})
		for i, t := range s.Times(said.Words) {
			w := saidWord{tokens[s.From+i].Text, t[0], t[1]}
			if t[0] >= 0 {
				w.From, w.To = w.From+begin, w.To+begin
			}
			out.Words = append(out.Words, w)
		}
		samples = append(samples, here...)
	}
	if len(samples) == 0 {
		return nil, out, errors.New("there is nothing to say")
	}
	return aloud.WAV(samples, rate), out, nil
}
