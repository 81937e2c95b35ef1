package e2e

import (
	"encoding/json"
	"fmt"
	"net/http"
	"strings"
	"testing"

	"readymargin/demo"
	"readymargin/e2e/browser"
)

// Installed, Ready Margin takes what another program hands over and asks what it is
// for: a new worksheet, or one of the sheets that are to be done.
func TestWhatIsHandedOver(t *testing.T) {
	t.Parallel()
	sc := setSceneNamed(t, "Handed")
	res, err := http.Get(home.Base + "/manifest.webmanifest")
	if err != nil {
		t.Fatal(err)
	}
	defer res.Body.Close()
	var manifest struct {
		Name  string `json:"name"`
		Start string `json:"start_url"`
		Share struct {
			Action, Method, Enctype string
		} `json:"share_target"`
	}
	if err := json.NewDecoder(res.Body).Decode(&manifest); err != nil || manifest.Name != "Ready Margin" || manifest.Start != "/" || manifest.Share.Action != "/share" || manifest.Share.Enctype != "multipart/form-data" {
		t.Errorf("the manifest is %+v (%v)", manifest, err)
	}
	// The system's hand-over is a form that is posted to the page which is told of in the
	// manifest.
	hand := func(p *browser.Tab, who, name string) []func() error {
		return []func() error{
			func() error { return p.SignIn(who, scenePassword) }, func() error { return p.Go("/account") },
			func() error {
				_, err := browser.Eval[int](p, `await navigator.serviceWorker.register("/service-worker.js"); await navigator.serviceWorker.ready; return 1`)
				return err
			},
			func() error { return p.Go("/account") },
			func() error { return p.Until("it is in the program's hands", `navigator.serviceWorker.controller`) },
			func() error {
				_, err := browser.Eval[int](p, `const f=document.createElement("form"); f.method="post"; f.action="/share"; f.enctype="multipart/form-data"; f.id="over"; f.innerHTML='<input type="file" name="file" id="given">'; document.body.append(f); return 1`)
				return err
			},
			func() error { return p.Choose("#given", name) },
			func() error {
				_, err := browser.Eval[int](p, `HTMLFormElement.prototype.submit.call(document.querySelector("#over")); return 1`)
				return err
			},
			func() error {
				return p.Until("it asks what it is for", `location.pathname==="/share" && document.querySelector("[data-handed]")?.innerText==="Passage.pdf"`)
			},
		}
	}
	passage := file(t, "Passage.pdf", demo.PassagePlan)
	teacher := tab(t, 1280, 800)
	steps(t, hand(teacher, "handed.teacher", passage)...)
	steps(t, func() error { return teacher.Click(`form[action="/worksheets"] button`) },
		func() error {
			return teacher.Until("it is on the bench", `/^\/worksheets\/\d+$/.test(location.pathname)`)
		}, teacher.Ready,
		func() error { return teacher.Go("/share") },
		func() error {
			return teacher.Until("it is not asked about again", `document.querySelector("[data-handed]").innerText.includes("No file has arrived")`)
		})
	student := tab(t, 1280, 800)
	steps(t, hand(student, "handed.student", passage)...)
	steps(t,
		func() error {
			return student.Click(fmt.Sprintf(`a[href="/assignments/%d#handed"]`, sc.copies["in progress"].AssignmentID))
		},
		student.Ready,
		func() error {
			return student.Until("it is compared with the sheet", `/sheet/.test(document.querySelector(".toast")?.innerText ?? "")`)
		})
	if at, err := browser.Eval[string](student, `return location.href`); err != nil || strings.Contains(at, "#") {
		t.Errorf("it would be taken again: %s (%v)", at, err)
	}
}
