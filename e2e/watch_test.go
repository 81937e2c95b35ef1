package e2e

import (
	"context"
	"net/http"
	"os/exec"
	"strings"
	"testing"

	dto "github.com/prometheus/client_model/go"
	"github.com/prometheus/common/expfmt"
	"github.com/prometheus/common/model"

	"readymargin/e2e/house"
)

// watched reads the metrics by the parser of those who made their format.
func watched(t *testing.T) map[string]*dto.MetricFamily {
	t.Helper()
	res, err := http.Get(home.Metrics)
	if err != nil {
		t.Fatal(err)
	}
	defer res.Body.Close()
	parser := expfmt.NewTextParser(model.UTF8Validation)
	all, err := parser.TextToMetricFamilies(res.Body)
	if err != nil {
		t.Fatal(err)
	}
	return all
}

// Who watches the server sees how it does and never who does what: answers by
// the pattern of their route, and open screens.
func TestWhatIsWatched(t *testing.T) {
	_, id := desk(t, "Watched", 1280, 800)
	visitor := visit{t, signedIn(t, "watched.student")}
	for _, path := range []string{"/to-do", "/copies/99999999", "/nowhere/Watched.Student"} {
		visitor.get(path)
	}
	seen, all := map[string]uint64{}, watched(t)
	for _, m := range all["readymargin_request_seconds"].GetMetric() {
		of := map[string]string{}
		for _, l := range m.GetLabel() {
			of[l.GetName()] = l.GetValue()
			if strings.Contains(strings.ToLower(l.GetValue()), "watched") {
				t.Errorf("a label says %q", l.GetValue())
			}
		}
		seen[of["method"]+" "+of["route"]+" "+of["status"]] += m.GetHistogram().GetSampleCount()
	}
	for _, want := range []string{"GET /to-do 200", "GET /copies/:id 200", "GET /copies/:id 404", "any  404"} {
		if seen[want] == 0 {
			t.Errorf("no answer was seen of %q", want)
		}
	}
	if seen["GET /copies/:id/feed 200"] > 0 {
		t.Error("an event stream is counted among the answers")
	}
	for _, name := range []string{"readymargin_screens", "readymargin_pdf_working", "readymargin_pdf_waiting", "go_sql_open_connections", "process_resident_memory_bytes"} {
		if len(all[name].GetMetric()) != 1 {
			t.Errorf("%s is not among the metrics", name)
		}
	}
	steps(t, func() error {
		for range 100 {
			if watched(t)["readymargin_screens"].GetMetric()[0].GetGauge().GetValue() > 0 {
				return nil
			}
		}
		t.Errorf("no screen waits for news of copy %d", id)
		return nil
	})
	ids := map[string]bool{}
	for range 3 {
		req, err := http.NewRequest(http.MethodGet, home.Base+"/sign-in", nil)
		if err != nil {
			t.Fatal(err)
		}
		req.Header.Set("X-Request-Id", "a stranger's")
		res, err := http.DefaultClient.Do(req)
		if err != nil {
			t.Fatal(err)
		}
		res.Body.Close()
		ids[res.Header.Get("X-Request-Id")] = true
	}
	if len(ids) != 3 || ids["a stranger's"] || ids[""] {
		t.Errorf("three answers have the ids %v", ids)
	}
	cmd := exec.CommandContext(context.Background(), house.Binary(), "serve", "-address", "127.0.0.1:0", "-metrics", "0.0.0.0:0", "-cache", t.TempDir(), "-dsn", home.DSN())
	if out, err := cmd.CombinedOutput(); err == nil || !strings.Contains(string(out), "on this machine alone") {
		t.Errorf("metrics for everybody: %v %s", err, out)
	}
}
