package web

import (
	"fmt"
	"math"
	"os"
	"regexp"
	"strconv"
	"strings"
	"testing"
	"time"
)

// Contrast by WCAG 2.2: relative luminance and the ratio of 1.4.3 and 1.4.11,
// computed from the tokens in the style sheet.
func TestContrastOfTheTokens(t *testing.T) {
	css, err := os.ReadFile("styles/app.css")
	if err != nil {
		t.Fatal(err)
	}
	token := map[string]float64{}
	for _, m := range regexp.MustCompile(`--color-([a-z-]+): #([0-9a-f]{6});`).FindAllStringSubmatch(string(css), -1) {
		token[m[1]] = luminance(m[2])
	}
	script, err := os.ReadFile("script/settings.js")
	if err != nil {
		t.Fatal(err)
	}
	inks, washes, _ := strings.Cut(string(script), "export const WASHES")
	for _, m := range regexp.MustCompile(`'?([a-z-]+)'?: '#([0-9a-f]{6})'`).FindAllStringSubmatch(inks, -1) {
		token["ink "+m[1]] = luminance(m[2])
	}
	for _, m := range regexp.MustCompile(`([a-z-]+): '#([0-9a-f]{6})'`).FindAllStringSubmatch(washes[:strings.Index(washes, "}")], -1) {
		token["wash "+m[1]] = luminance(m[2])
	}
	type pair struct {
		fore, back string
		least      float64
	}
	pairs := []pair{
		{"ink", "paper", 4.5}, {"ink", "desk", 4.5}, {"ink", "sun", 4.5}, {"paper", "ink", 4.5}, {"ink", "wash", 4.5},
		{"soft", "paper", 4.5}, {"soft", "desk", 4.5}, {"sky", "paper", 4.5}, {"moss-ink", "paper", 4.5}, {"moss-ink", "desk", 4.5},
		{"rule-ink", "paper", 4.5}, {"rule-ink", "desk", 4.5}, {"sky", "desk", 3}, {"rule", "paper", 3}, {"rule", "desk", 3}, {"moss", "paper", 3},
	}
	for name := range token {
		if strings.HasPrefix(name, "ink ") {
			pairs = append(pairs, pair{name, "white", 4.5})
			for wash := range token {
				if strings.HasPrefix(wash, "wash ") {
					pairs = append(pairs, pair{name, wash, 3})
				}
			}
		}
		if strings.HasPrefix(name, "wash ") {
			pairs = append(pairs, pair{"ink", name, 4.5}) // print stays readable through it
		}
	}
	if len(pairs) < 90 {
		t.Fatalf("only %d pairs were found", len(pairs))
	}
	for _, p := range pairs {
		if ratio := contrast(token[p.fore], token[p.back]); ratio < p.least || token[p.back] == 0 && p.back != "ink" {
			t.Errorf("%s on %s: %.2f, want at least %v", p.fore, p.back, ratio, p.least)
		}
	}
}

func luminance(hex string) float64 {
	sum := 0.0
	for i, weight := range []float64{0.2126, 0.7152, 0.0722} {
		v, _ := strconv.ParseUint(hex[2*i:2*i+2], 16, 8)
		c := float64(v) / 255
		if c <= 0.04045 {
			c /= 12.92
		} else {
			c = math.Pow((c+0.055)/1.055, 2.4)
		}
		sum += weight * c
	}
	return sum
}

func contrast(a, b float64) float64 { return (max(a, b) + 0.05) / (min(a, b) + 0.05) }

func TestTimesAreSaidAsPeopleDo(t *testing.T) {
	at := func(s string) time.Time {
		v, err := time.Parse("2006-01-02 15:04", s)
		if err != nil {
			t.Fatal(err)
		}
		return v
	}
	// Clocks in London went back on 25 October 2026 at 01:00 UTC.
	for _, c := range []struct{ now, due, zone, want string }{
		{"2026-11-25 10:00", "2026-11-25 18:00", "Europe/London", "today 18:00"},
		{"2026-11-25 23:30", "2026-11-26 00:30", "Europe/London", "tomorrow 00:30"},
		{"2026-11-25 23:30", "2026-11-26 00:30", "Asia/Tokyo", "today 09:30"},
		{"2026-10-24 12:00", "2026-10-24 17:00", "Europe/London", "today 18:00"},
		{"2026-10-24 12:00", "2026-10-25 18:00", "Europe/London", "tomorrow 18:00"},
		{"2026-11-25 10:00", "2026-11-24 10:00", "UTC", "yesterday 10:00"},
		{"2026-11-25 10:00", "2026-11-29 10:00", "UTC", "Sunday 10:00"},
		{"2026-11-25 10:00", "2026-12-24 10:00", "UTC", "Thu 24 December, 10:00"},
		{"2026-11-25 10:00", "2027-01-04 10:00", "UTC", "4 January 2027, 10:00"},
	} {
		due := at(c.due)
		if got := when(&due, c.zone, at(c.now)); got != c.want {
			t.Errorf("at %s, %s in %s is %q, want %q", c.now, c.due, c.zone, got, c.want)
		}
	}
	for minutes, want := range map[int]string{0: "", 1: "late by 1 minute", 59: "late by 59 minutes", 61: "late by 1 hour 1 min", 600: "late by 10 hours", 4 * 24 * 60: "late by 4 days"} {
		if got := late(minutes); got != want {
			t.Errorf("%d minutes: %q, want %q", minutes, got, want)
		}
	}
}

// After signing in one is led to this site only.
func TestLocalPath(t *testing.T) {
	for next, want := range map[string]string{
		"/copies/3": "/copies/3", "/join?code=ABC": "/join?code=ABC", "": "/", "https://evil.example/": "/", "//evil.example": "/", `/\evil.example`: "/", "javascript:alert(1)": "/",
	} {
		if got := localPath(next); got != want {
			t.Errorf("%q leads to %q, want %q", next, got, want)
		}
	}
}

// Every sentence that has a place for a value gets one, and every icon that a
// template names is there.
func TestSentencesAndIconsAreComplete(t *testing.T) {
	for code, text := range problems {
		if strings.Count(text, "%") > 1 || strings.Contains(fmt.Sprintf(text, "x"), "%!") && strings.Contains(text, "%") {
			t.Errorf("%s: %q", code, text)
		}
	}
	pages, err := templates.ReadDir("templates")
	if err != nil {
		t.Fatal(err)
	}
	for _, f := range pages {
		b, err := templates.ReadFile("templates/" + f.Name())
		if err != nil {
			t.Fatal(err)
		}
		for _, m := range regexp.MustCompile(`icon "([a-z]+)"`).FindAllSubmatch(b, -1) {
			if icons[string(m[1])] == "" {
				t.Errorf("%s: there is no icon %q", f.Name(), m[1])
			}
		}
		if regexp.MustCompile(`(?i)\sstyle="|\son[a-z]+="|<script>`).Match(b) {
			t.Errorf("%s has an inline style or script, which the policy forbids", f.Name())
		}
	}
}
