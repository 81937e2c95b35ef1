package main

import (
	"fmt"
	"net"
	"net/http"
	"os"
	"path/filepath"
	"time"

	"github.com/chromedp/cdproto/cdp"
	"github.com/chromedp/cdproto/emulation"
	"github.com/chromedp/cdproto/network"
	"github.com/chromedp/cdproto/storage"
	"github.com/chromedp/chromedp"

	"readymargin/core/submission"
	"readymargin/demo"
	"readymargin/e2e/browser"
	"readymargin/e2e/house"
)

const slowed = 4 // times, for a cheap laptop

func slow(t *browser.Tab) error {
	_, err := chromedp.Call(t.Ctx, emulation.SetCPUThrottlingRate, emulation.SetCPUThrottlingRateParams{Rate: slowed})
	return err
}

// forget makes the next opening a first one: nothing is in the browser's cache
// or kept by the service worker.
func forget(t *browser.Tab) error {
	if _, err := chromedp.Call(t.Ctx, storage.ClearDataForOrigin, storage.ClearDataForOriginParams{Origin: t.Base, StorageTypes: "service_workers,cache_storage"}); err != nil {
		return err
	}
	_, err := chromedp.Call(t.Ctx, network.ClearBrowserCache, cdp.Empty{})
	return err
}

// stage fills in the demo once, for the measurements in the browser.
func (b *bench) stage() error {
	if _, err := b.house.Store.PersonByLogin(b.ctx, "leila.haddad"); err == nil {
		return nil
	}
	return demo.Fill(b.ctx, b.house.School, b.house.Engine)
}

// tides is the assignment that the measurements use.
func (b *bench) tides() uint64 {
	who, err := b.house.Store.PersonByLogin(b.ctx, "leila.haddad")
	if err != nil {
		return 0
	}
	all, err := b.house.School.Agenda.ToDo(b.ctx, who)
	for _, a := range all {
		if err == nil && a.Assignment.Title == "Tide heights 2" {
			return a.Assignment.ID
		}
	}
	return 0
}

// readable gives the milliseconds from the beginning of the navigation until
// the desk took ink and the first picture was painted, as the page marked it.
const readable = `const mark=()=>performance.getEntriesByName('readable')[0]; for(let i=0;i<3000&&!mark();i++) await new Promise(r=>setTimeout(r,4)); return mark()?.startTime??0`

// open: a copy until the page is readable and takes ink, beside a plain
// pdf.js page showing the same page of the same file.
func (b *bench) open() ([]line, error) {
	if err := b.stage(); err != nil {
		return nil, err
	}
	plain, stop, err := plainPage()
	if err != nil {
		return nil, err
	}
	defer stop()
	ours, err := b.web.Tab(b.house.Base, 1366, 620)
	if err != nil {
		return nil, err
	}
	defer ours.Close()
	if err := ours.SignIn("leila.haddad", demo.Password); err != nil {
		return nil, err
	}
	if err := ours.Go(fmt.Sprintf("/assignments/%d", b.tides())); err != nil {
		return nil, err
	}
	if err := ours.Ready(); err != nil {
		return nil, err
	}
	path, err := browser.Eval[string](ours, `return location.pathname`)
	if err != nil {
		return nil, err
	}
	kinds := []struct {
		name   string
		cold   bool
		budget float64
	}{{"cold", true, 0.3}, {"warm", false, 0.5}}
	var mine []float64
	fetched := 0.0
	for _, how := range kinds {
		ms, err := opening(ours, path, readable, how.cold)
		if err != nil {
			return nil, err
		}
		mine = append(mine, ms)
		if how.cold { // what is kept by the service worker comes unpacked
			if fetched, err = browser.Eval[float64](ours, `return performance.getEntriesByType('resource').filter(e=>e.startTime<performance.getEntriesByName('shown')[0].startTime).reduce((s,e)=>s+e.encodedBodySize,0)/1000`); err != nil {
				return nil, err
			}
		}
	}
	// The other page's tab is opened only now: a tab behind another is slowed.
	theirs, err := b.web.Tab(plain, 1366, 620)
	if err != nil {
		return nil, err
	}
	defer theirs.Close()
	var out []line
	for i, how := range kinds {
		ms, err := opening(theirs, "/", `for(let i=0;i<1500&&!window.shown;i++) await new Promise(r=>setTimeout(r,4)); return window.shown`, how.cold)
		if err != nil {
			return nil, err
		}
		out = append(out, line{"opening a copy until readable, 4x slower, " + how.name, mine[i], ms, "ms", how.budget, false, "pdf.js"})
	}
	return append(out, line{"fetched before the copy is shown", fetched, 0, "KB", 500, false, ""}), err
}

func opening(t *browser.Tab, path, script string, cold bool) (float64, error) {
	if err := slow(t); err != nil {
		return 0, err
	}
	var all []float64
	for range 7 {
		if cold {
			if err := forget(t); err != nil {
				return 0, err
			}
		}
		if err := t.Go(path); err != nil {
			return 0, err
		}
		ms, err := browser.Eval[float64](t, script)
		if err != nil {
			return 0, err
		}
		if ms == 0 {
			return 0, fmt.Errorf("%s%s was never shown: %v", t.Base, path, t.Errors())
		}
		all = append(all, ms)
		time.Sleep(3 * time.Second) // what a page does after it is readable is no load on the next
	}
	return middle(all), nil
}

// plainPage serves a page that shows the sample with pdf.js and nothing else.
func plainPage() (base string, stop func(), err error) {
	file, err := demo.TideHeights()
	if err != nil {
		return "", nil, err
	}
	build := filepath.Join(house.Root(), "node_modules", "pdfjs-dist", "build")
	if _, err := os.Stat(build); err != nil {
		return "", nil, fmt.Errorf("pdf.js is missing: npm ci")
	}
	mux := http.NewServeMux()
	mux.Handle("/build/", http.StripPrefix("/build/", http.FileServer(http.Dir(build))))
	mux.HandleFunc("/sheet.pdf", func(w http.ResponseWriter, _ *http.Request) { w.Write(file) })
	mux.HandleFunc("/", func(w http.ResponseWriter, _ *http.Request) {
		w.Header().Set("Content-Type", "text/html")
		fmt.Fprint(w, `<!doctype html><canvas id="c"></canvas><script type="module">
import * as pdfjs from '/build/pdf.min.mjs';
pdfjs.GlobalWorkerOptions.workerSrc='/build/pdf.worker.min.mjs';
const doc=await pdfjs.getDocument({url:'/sheet.pdf'}).promise, page=await doc.getPage(1), viewport=page.getViewport({scale:1.5});
const c=document.getElementById('c'); c.width=viewport.width; c.height=viewport.height;
await page.render({canvas:c,viewport}).promise;
await new Promise(r=>requestAnimationFrame(()=>requestAnimationFrame(r))); window.shown=performance.now();</script>`)
	})
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		return "", nil, err
	}
	srv := &http.Server{Handler: mux}
	go srv.Serve(l)
	return "http://" + l.Addr().String(), func() { srv.Close() }, nil
}

// inking draws in the page and measures from each pointer event to the end of
// the frame that shows it.
const inking = `const desk=document.querySelector('[data-desk]'), sheet=document.querySelector('.sheet'), r=sheet.getBoundingClientRect();
	const fire=(type,x,y)=>sheet.dispatchEvent(new PointerEvent(type,{bubbles:true,cancelable:true,pointerId:9,pointerType:'pen',isPrimary:true,pressure:0.5,buttons:1,button:0,clientX:x,clientY:y}));
	desk.setPointerCapture=()=>{}; const times=[];
	document.querySelector('.place [aria-label="Pen"]').click();
	fire('pointerdown',r.left+100,r.top+100);
	for(let i=0;i<120;i++){
		await new Promise(done=>requestAnimationFrame(()=>{ const t=performance.now(); for(let k=0;k<4;k++) fire('pointermove',r.left+100+i*3+k,r.top+120+40*Math.sin(i/6));
			const c=new MessageChannel(); c.port1.onmessage=()=>{times.push(performance.now()-t);done()}; requestAnimationFrame(()=>{}); c.port2.postMessage(0); }));
	}
	fire('pointerup',r.left+300,r.top+200);
	times.sort((a,b)=>a-b); return [times[Math.floor(times.length/2)], times[Math.floor(times.length*0.95)]]`

// moving scrolls, and zooms as the wheel does, a step a frame, once the page
// was painted; it gives the frames a second of each.
// It waits first for what a screen does some seconds after it was opened.
const moving = `await new Promise(r=>setTimeout(r,9000)); const d=document.querySelector('[data-desk]'), frame=()=>new Promise(r=>requestAnimationFrame(r)), box=d.getBoundingClientRect();
	const rate=async(n,step)=>{ for(let i=0;i<20;i++){ step(i); await frame(); } d.scrollTop=0; await frame(); const t=performance.now(); for(let i=0;i<n;i++){ step(i); await frame(); } return n*1000/(performance.now()-t); };
	const scroll=await rate(90,(i)=>{ d.scrollTop+=i<45?7:-7; });
	const wheel=(i)=>d.dispatchEvent(new WheelEvent('wheel',{bubbles:true,cancelable:true,ctrlKey:true,deltaY:i%40<20?-12:12,clientX:box.left+300,clientY:box.top+200}));
	return [scroll, await rate(80,wheel)]`

// ink: from a pointer event to the end of its frame, with 1,000 marks on the page.
func (b *bench) ink() ([]line, error) {
	if err := b.stage(); err != nil {
		return nil, err
	}
	who, err := b.house.Store.PersonByLogin(b.ctx, "aroha.ngata")
	if err != nil {
		return nil, err
	}
	c, err := b.house.School.Saving.OpenOwn(b.ctx, who, b.tides())
	if err != nil {
		return nil, err
	}
	for from := 0; from < 1000; from += 200 {
		var ops []submission.Op
		for i := from; i < from+200; i++ {
			m := someMark(fmt.Sprintf("ink-mark-%05d", i), 1, i)
			ops = append(ops, submission.Op{ID: fmt.Sprintf("ink-op-%05d", i), On: m.ID, Mark: &m})
		}
		if _, err := b.house.School.Saving.Save(b.ctx, who, c.ID, submission.Work, ops); err != nil {
			return nil, err
		}
	}
	t, err := b.web.Tab(b.house.Base, 1366, 620)
	if err != nil {
		return nil, err
	}
	defer t.Close()
	if err := t.SignIn("aroha.ngata", demo.Password); err != nil {
		return nil, err
	}
	if err := t.Go(fmt.Sprintf("/copies/%d", c.ID)); err != nil {
		return nil, err
	}
	if err := t.Ready(); err != nil {
		return nil, err
	}
	if err := slow(t); err != nil {
		return nil, err
	}
	ms, err := browser.Eval[[2]float64](t, inking)
	if err != nil {
		return nil, err
	}
	fps, err := browser.Eval[[2]float64](t, moving)
	return []line{
		{"scrolling a page of 1,000 marks, 4x slower", fps[0], 0, "fps", 55, true, ""},
		{"zooming a page of 1,000 marks, 4x slower", fps[1], 0, "fps", 55, true, ""},
		{"pointer to ink painted, 1,000 marks, 4x slower, median", ms[0], 0, "ms", 16.7, false, ""},
		{"pointer to ink painted, 1,000 marks, 4x slower, p95", ms[1], 0, "ms", 16.7, false, ""},
	}, err
}

// next: going to the next copy while marking, until it is painted.
func (b *bench) next() ([]line, error) {
	if err := b.stage(); err != nil {
		return nil, err
	}
	t, err := b.web.Tab(b.house.Base, 1280, 800)
	if err != nil {
		return nil, err
	}
	defer t.Close()
	if err := t.SignIn("mr.okonjo-bell", demo.Password); err != nil {
		return nil, err
	}
	if err := t.Go(fmt.Sprintf("/assignments/%d", b.tides()) + "/marking"); err != nil {
		return nil, err
	}
	if err := t.Ready(); err != nil {
		return nil, err
	}
	ms, err := browser.Eval[float64](t, `const all=[]; for(let i=0;i<5;i++){ await new Promise(r=>setTimeout(r,600)); const was=document.querySelector('[data-top] strong').textContent, t=performance.now();
		document.body.dispatchEvent(new KeyboardEvent('keydown',{key:']',bubbles:true}));
		for(let k=0;k<5000&&document.querySelector('[data-top] strong').textContent===was;k++) await new Promise(r=>setTimeout(r,1));
		await new Promise(r=>requestAnimationFrame(()=>requestAnimationFrame(r))); all.push(performance.now()-t); }
		return all.sort((a,b)=>a-b)[2]`)
	return []line{{"next copy while marking, until painted", ms, 0, "ms", 150, false, ""}}, err
}
