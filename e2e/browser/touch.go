package browser

import (
	"fmt"
	"time"

	"github.com/chromedp/cdproto/input"
	"github.com/chromedp/chromedp"
)

// Fingers on the screen go in by the browser's own touch input, so that the
// mouse events follow that a browser sends after a tap.

// A finger's place in the window.
type finger struct{ x, y float64 }

func (t *Tab) touch(kind input.DispatchTouchEventType, at ...finger) error {
	points := make([]*input.TouchPoint, len(at))
	for i, f := range at {
		id, radius, force := float64(i), 8.0, 1.0
		points[i] = &input.TouchPoint{X: f.x, Y: f.y, RadiusX: &radius, RadiusY: &radius, Force: &force, ID: &id}
	}
	_, err := chromedp.Call(t.Ctx, input.DispatchTouchEvent, input.DispatchTouchEventParams{Type: kind, TouchPoints: points})
	return err
}

// Tap taps a point of the window.
func (t *Tab) Tap(x, y float64) error { return t.hold(x, y, 40*time.Millisecond) }

func (t *Tab) hold(x, y float64, long time.Duration) error {
	if err := t.touch(input.DispatchTouchEventTypeTouchStart, finger{x, y}); err != nil {
		return err
	}
	time.Sleep(long)
	return t.touch(input.DispatchTouchEventTypeTouchEnd)
}

// TapOn taps the middle of the element that a selector finds, scrolled into
// view. What lies over it is tapped instead, as a finger would.
func (t *Tab) TapOn(selector string) error {
	x, y, err := t.middle(selector)
	if err != nil {
		return err
	}
	return t.Tap(x, y)
}

// TapWords taps the one of the elements of a selector that says so.
func (t *Tab) TapWords(selector, words string) error {
	if err := t.Until(words+" is there", fmt.Sprintf(`(()=>{const e=[...document.querySelectorAll(%q)].find(e=>(e.innerText.trim()||e.getAttribute("aria-label"))===%q);
		for(const o of document.querySelectorAll("[data-tapped]"))delete o.dataset.tapped;if(e)e.dataset.tapped="";return e})()`, selector, words)); err != nil {
		return err
	}
	return t.TapOn("[data-tapped]")
}

// HoldOn rests a finger on an element for a second.
func (t *Tab) HoldOn(selector string) error {
	x, y, err := t.middle(selector)
	if err != nil {
		return err
	}
	return t.hold(x, y, time.Second)
}

// middle returns where the middle of an element is once it stands still. It is looked for
// anew in every frame: what is drawn again meanwhile is another element.
func (t *Tab) middle(selector string) (x, y float64, err error) {
	if err := t.Until(selector+" is there", fmt.Sprintf(`document.querySelector(%q)?.getClientRects().length`, selector)); err != nil {
		return 0, 0, err
	}
	at, err := Eval[[2]float64](t, fmt.Sprintf(`const next=()=>new Promise(r=>requestAnimationFrame(r));
		let e, was=[0,0], still=0;
		for(let i=0;i<120&&still<4;i++){
			const is=document.querySelector(%q);
			if(is&&is!==e)(e=is).scrollIntoView({block:'nearest',inline:'nearest'});
			await next();
			if(!e?.isConnected){still=0;continue}
			const r=e.getBoundingClientRect(), now=[r.left+r.width/2,r.top+r.height/2];
			still=Math.abs(now[0]-was[0])+Math.abs(now[1]-was[1])<0.5?still+1:0;was=now}
		return was`, selector))
	return at[0], at[1], err
}

// TapAt taps a place on the sheet.
func (t *Tab) TapAt(p Place) error {
	x, y, err := t.At(p)
	if err != nil {
		return err
	}
	return t.Tap(x, y)
}

// Slide moves one finger over the sheet through the given places of one page.
func (t *Tab) Slide(through ...Place) error {
	for i, p := range through {
		x, y, err := t.At(p)
		if err != nil {
			return err
		}
		kind := input.DispatchTouchEventTypeTouchMove
		if i == 0 {
			kind = input.DispatchTouchEventTypeTouchStart
		}
		if err := t.touch(kind, finger{x, y}); err != nil {
			return err
		}
		time.Sleep(16 * time.Millisecond)
	}
	// The finger rests before it goes up: after a fling a browser takes the
	// next tap as what stops it.
	time.Sleep(150 * time.Millisecond)
	return t.touch(input.DispatchTouchEventTypeTouchEnd)
}

// Pinch spreads two fingers, or brings them together, around a point of the
// window: from so many pixels apart to so many.
func (t *Tab) Pinch(x, y, from, to float64) error {
	const steps = 12
	for i := range steps + 1 {
		d := (from + (to-from)*float64(i)/steps) / 2
		kind := input.DispatchTouchEventTypeTouchMove
		if i == 0 {
			kind = input.DispatchTouchEventTypeTouchStart
		}
		if err := t.touch(kind, finger{x - d, y}, finger{x + d, y}); err != nil {
			return err
		}
		time.Sleep(16 * time.Millisecond)
	}
	return t.touch(input.DispatchTouchEventTypeTouchEnd)
}

// Presses types with the keys of a keyboard, one after the other, wherever the
// focus is: unlike Type, a letter that nobody takes is a shortcut.
func (t *Tab) Presses(text string) error {
	for _, r := range text {
		if err := t.Key(string(r)); err != nil {
			return err
		}
	}
	return nil
}
