package recogniser

import (
	"context"
	"encoding/json"
	"errors"
	"io"
	"net/http"
	"net/http/httptest"
	"os"
	"path/filepath"
	"testing"
	"time"

	"readymargin/core/speech"
	"readymargin/core/speech/speechtest"
	client "readymargin/recogniser"
)

// This test is a program of the school's own where it is started as one: it answers what
// the stand-in answers, or misbehaves as it is told.
func TestMain(m *testing.M) {
	switch as := os.Getenv("READYMARGIN_TEST_AS"); as {
	case "":
		os.Exit(m.Run())
	case "recogniser":
		var sheet struct{ Printed, Answers []string }
		b, err := os.ReadFile(os.Getenv("READYMARGIN_SOUND_SHEET"))
		if err != nil || json.Unmarshal(b, &sheet) != nil || os.Getenv("READYMARGIN_SOUND_LANGUAGE") == "tlh" {
			os.Exit(66)
		}
		res := httptest.NewRecorder()
		Handler().ServeHTTP(res, httptest.NewRequest(http.MethodPost, "/", os.Stdin))
		if res.Code != http.StatusOK {
			os.Exit(65)
		}
		io.Copy(os.Stdout, res.Body)
	case "nonsense":
		os.Stdout.WriteString("<html>")
	case "endless":
		for {
			if _, err := os.Stdout.WriteString(`{"words":[],"more":"`); err != nil {
				os.Exit(1)
			}
		}
	case "broken":
		os.Exit(1)
	}
}

// program is this test as a program that behaves in some way.
func program(t *testing.T, as string) speech.Recogniser {
	t.Helper()
	file := filepath.Join(t.TempDir(), "hear")
	self, err := os.Executable()
	if err != nil {
		t.Fatal(err)
	}
	if err := os.WriteFile(file, []byte("#!/bin/sh\nREADYMARGIN_TEST_AS="+as+" exec '"+self+"'\n"), 0o700); err != nil {
		t.Fatal(err)
	}
	p, err := client.NewProgram(file)
	if err != nil {
		t.Fatal(err)
	}
	return p
}

func TestAProgramOfTheSchoolsOwnConforms(t *testing.T) {
	r := program(t, "recogniser")
	speechtest.Conform(t, r, []speechtest.Sample{{Name: "a recording", Sound: spoken(t, 400, 500, 600), Type: "audio/wav", Lasts: 1800 * time.Millisecond, Says: said("the", "tide", "ebbs")}},
		speechtest.Sample{Name: "silence", Sound: spoken(t, 0, 0), Type: "audio/wav", Lasts: 1200 * time.Millisecond})
	sound := speech.Sound{Data: spoken(t, 400), Type: "audio/wav", Language: "tlh", Printed: []string{"a sheet"}}
	if _, err := r.Recognise(context.Background(), sound); !errors.Is(err, speech.ErrLanguage) {
		t.Errorf("a language that it does not know: %v", err)
	}
	for _, as := range []string{"nonsense", "endless", "broken"} {
		if words, err := program(t, as).Recognise(context.Background(), sound); !errors.Is(err, speech.ErrAway) {
			t.Errorf("one that is %s: %v, %v", as, words, err)
		}
	}
	for _, path := range []string{"hear", "/nowhere/hear"} {
		if _, err := client.NewProgram(path); err == nil {
			t.Errorf("%s is taken for a program", path)
		}
	}
}
