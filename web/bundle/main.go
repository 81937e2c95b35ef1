// Command bundle makes of the scripts in web/script what browsers get: a few
// minified modules, which share what they have in common, and beside everything
// that ships a form packed by Brotli (RFC 7932). It is run by `make build`.
// With -vendor it makes of packages that npm has fetched the one module that is
// committed in their place, which building anew does not need npm for.
package main

import (
	"bytes"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"strings"

	"github.com/andybalholm/brotli"
	"github.com/evanw/esbuild/pkg/api"
)

const (
	source = "web/script"
	target = "web/static/dist/script"
)

func main() {
	do := run
	if len(os.Args) > 1 && os.Args[1] == "-vendor" {
		do = vendor
	}
	if err := do(); err != nil {
		fmt.Fprintln(os.Stderr, "bundle:", err)
		os.Exit(1)
	}
}

func run() error {
	if err := bundle(); err != nil {
		return err
	}
	return filepath.WalkDir("web/static", func(path string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() {
			return err
		}
		switch filepath.Ext(path) {
		case ".js", ".css", ".wasm", ".svg":
			return pack(path)
		}
		return nil
	})
}

// entries are the scripts that pages name. The sheet is taken apart, so that
// what it needs to be read and drawn on comes first and the rest, which it
// imports in a function, behind; what one types with shares nothing with them.
var entries = []struct {
	file, name string
	parted     bool
	format     api.Format
}{
	{"sheet.js", "sheet", true, api.FormatESModule},
	{"editor.js", "editor", false, api.FormatESModule},
	{"prose.js", "prose", false, api.FormatESModule},
	{"pages.js", "pages", false, api.FormatESModule},
	{"across.js", "across", false, api.FormatESModule},
	{"files.js", "files", false, api.FormatESModule},
	{"bench/main.js", "bench", false, api.FormatESModule},
	{"service-worker.js", "service-worker", false, api.FormatIIFE},
}

// bundle writes the modules.
func bundle() error {
	written := map[string]bool{}
	for _, e := range entries {
		result := api.Build(api.BuildOptions{
			EntryPointsAdvanced: []api.EntryPoint{{InputPath: source + "/" + e.file, OutputPath: e.name}},
			Bundle:              true, Splitting: e.parted, Format: e.format, Target: api.ES2022,
			MinifyWhitespace: true, MinifyIdentifiers: true, MinifySyntax: true, LegalComments: api.LegalCommentsNone,
			Outdir: target, ChunkNames: "[name]-[hash]",
			External: []string{"./editor.js", "./prose.js"}, // fetched by their own names, last
		})
		if len(result.Errors) > 0 {
			return errors.New(strings.Join(api.FormatMessages(result.Errors, api.FormatMessagesOptions{}), "\n"))
		}
		for _, f := range result.OutputFiles {
			path := filepath.Join(target, filepath.Base(f.Path))
			written[path], written[path+".br"] = true, true
			if err := write(path, f.Contents); err != nil {
				return err
			}
		}
	}
	there, err := filepath.Glob(target + "/*")
	for _, path := range there {
		if !written[path] {
			err = errors.Join(err, os.Remove(path))
		}
	}
	return err
}

// vendored is what the scripts take of packages that are many and small: modules
// of web/script/vendor, each in a form that can be read, with what it takes of
// the one before.
var vendored = []struct{ name, licence, takes string }{
	{"prosemirror", "ProseMirror, MIT License, Copyright (C) 2015-2017 by Marijn Haverbeke and others.", `export { DOMSerializer, Fragment, Mark, MarkType, NodeRange, NodeType, Schema, Slice } from "prosemirror-model";
export { EditorState, Plugin, Selection, TextSelection } from "prosemirror-state";
export { canJoin, canSplit, findWrapping, liftTarget, ReplaceAroundStep } from "prosemirror-transform";
export { EditorView } from "prosemirror-view";
export { keymap } from "prosemirror-keymap";
export { baseKeymap, toggleMark } from "prosemirror-commands";
export { closeHistory, history, redo, undo } from "prosemirror-history";
`},
	{"prosemark", "prosemirror-markdown and prosemirror-schema-list, MIT License, Copyright (C) 2015-2017 by Marijn Haverbeke and others; markdown-it, MIT License, Copyright (c) 2014 Vitaly Puzrin, Alex Kocharin.", `export { defaultMarkdownSerializer, MarkdownParser, MarkdownSerializer, schema } from "prosemirror-markdown";
export { liftListItem, sinkListItem, splitListItem, wrapInList } from "prosemirror-schema-list";
export { default as MarkdownIt } from "markdown-it";
`},
}

// vendor bundles what is vendored, unminified so that a change of it can be read.
func vendor() error {
	dir, err := os.Getwd()
	if err != nil {
		return err
	}
	for i, v := range vendored {
		options := api.BuildOptions{
			Stdin:  &api.StdinOptions{Contents: v.takes, ResolveDir: dir},
			Bundle: true, Format: api.FormatESModule, Target: api.ES2022, Charset: api.CharsetUTF8,
			Banner: map[string]string{"js": "/*! " + v.licence + " Made by `go run ./web/bundle -vendor`; package.json has the versions. */\n// @ts-nocheck"},
		}
		shared := []string{"prosemirror-model", "prosemirror-state", "prosemirror-transform"}
		if i > 0 {
			options.External = shared
		}
		result := api.Build(options)
		if len(result.Errors) > 0 {
			return errors.New(strings.Join(api.FormatMessages(result.Errors, api.FormatMessagesOptions{}), "\n"))
		}
		made := string(result.OutputFiles[0].Contents)
		for _, name := range shared {
			made = strings.ReplaceAll(made, fmt.Sprintf("from %q", name), `from "./prosemirror.js"`)
		}
		if err := write(source+"/vendor/"+v.name+".js", []byte(made)); err != nil {
			return err
		}
	}
	return nil
}

// write writes a file when it differs, so that nothing is packed again for
// nothing.
func write(path string, b []byte) error {
	if was, err := os.ReadFile(path); err == nil && bytes.Equal(was, b) {
		return nil
	}
	if err := os.MkdirAll(filepath.Dir(path), 0o755); err != nil {
		return err
	}
	return os.WriteFile(path, b, 0o644)
}

// pack writes the packed form of a file beside it, where it is not there yet.
// Which file it was made of is told by a sum kept in the build's own folder.
func pack(path string) error {
	b, err := os.ReadFile(path)
	if err != nil {
		return err
	}
	sum := sha256.Sum256(b)
	note := filepath.Join("var", "packed", strings.ReplaceAll(path, "/", "_"))
	if was, err := os.ReadFile(note); err == nil && string(was) == hex.EncodeToString(sum[:]) {
		if _, err := os.Stat(path + ".br"); err == nil {
			return nil
		}
	}
	var out bytes.Buffer
	z := brotli.NewWriterLevel(&out, brotli.BestCompression)
	_, err = z.Write(b)
	if err = errors.Join(err, z.Close()); err != nil {
		return err
	}
	if err := os.WriteFile(path+".br", out.Bytes(), 0o644); err != nil {
		return err
	}
	return write(note, []byte(hex.EncodeToString(sum[:])))
}
