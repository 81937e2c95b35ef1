package main

import (
	"fmt"
	"os"
	"readymargin/e2e/browser"
)

func must(err error) { if err != nil { fmt.Println(err); os.Exit(1) } }

func main() {
	b, err := browser.Start("")
	must(err)
	defer b.Stop()
	l, err := b.Tab("http://127.0.0.1:8080", 1280, 800)
	must(err)
	must(l.SignIn("leila.haddad", "skerrymouth"))
	must(l.Go("/assignments/2"))
	must(l.Ready())
	v, err := browser.Eval[any](l, `await new Promise(r=>setTimeout(r,500)); return [readymarginCore.hasPrint(1), readymarginCore.run(1,180,175,214,175,false), (await (await fetch('/worksheets/1/print/1')).json()).words.slice(42,75).map(w=>w.t+' '+w.b[0]+' '+w.b[2]).join('; ')]`)
	fmt.Println(v, err)
	must(l.Click(`[aria-label="Highlighter"]`))
	must(l.Drag("mouse", 0.5, browser.Place{Page: 1, X: 180, Y: 175}, browser.Place{Page: 1, X: 200, Y: 175}, browser.Place{Page: 1, X: 214, Y: 176}))
	must(l.Shot("/tmp/shots/hl.png"))
	fmt.Println(l.Errors())
}
