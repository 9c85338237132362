package plan_test

import (
	"fmt"
	"net/url"
	"testing"
	"time"

	"github.com/chromedp/cdproto/input"
	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sakuji/app/apptest"
	"sakuji/app/orders"
	"sakuji/app/plan"
	"sakuji/core/route"
	"sakuji/web/kit"
	"sakuji/web/webtest"
)

// A task is moved by mouse, by finger and by keys: it is told what gets late before it is let go, it stays
// where it was put, undo and Escape take it back, L locks it; another tablet sees it by itself.
func TestTheRollIsMovedIn(t *testing.T) {
	if testing.Short() {
		t.Skip("needs a browser")
	}
	s := webtest.Serve(t, apptest.New(t), kit.Options{Demo: &webtest.StoppedTime{}})
	no := s.Order(12, route.Primed)
	s.Accept(no)
	require.NoError(t, s.Orders.ChangeOrder(s.Ctx, s.Owner, no, orders.OrderForm{Title: "Vases", ClientID: 1, Use: "shelf", Wanted: "2026-05-17", Sure: true}))
	planned := func() plan.Sheet {
		sheet, err := s.Plan.Plan(s.Ctx, time.Minute)
		require.NoError(t, err)
		return sheet
	}
	moved := func() (out []plan.Task) {
		for _, x := range planned().Tasks {
			if x.Moved {
				out = append(out, x)
			}
		}
		return out
	}
	planned()
	b := webtest.Browse(t, s.HTTP.URL)
	b.Open("/plan?day=2026-05-14")
	const widest = `[...document.querySelectorAll("[data-task]")].sort((a, b) => b.getBoundingClientRect().height - a.getBoundingClientRect().height)[0]`
	b.Until(widest + " !== undefined")
	middle := func() (x, y, toX float64) {
		_, err := fmt.Sscan(b.Eval(`scrollTo(0, 0); const el = `+widest+`, r = el.querySelector("rect").getBoundingClientRect(), d = JSON.parse(document.querySelector("[data-roll]").dataset.roll),
			k = document.querySelector("[data-roll]").getBoundingClientRect(), other = d.hands.find((h) => String(h.id) !== el.dataset.person);
			return [r.x + r.width / 2, r.y + Math.min(8, r.height / 2), k.x + (other.x + other.w / 2) * k.width / 1090].join(" ")`), &x, &y, &toX)
		require.NoError(t, err)
		return x, y, toX
	}
	key := b.Eval("return " + widest + ".dataset.task.split('\\n')[0]")
	before, err := planned().TaskOf(key)
	require.NoError(t, err)

	// By mouse: it is told while the button is down, and moved when it is let go.
	x, y, toX := middle()
	b.Do(chromedp.MouseEvent("mousePressed", x, y, chromedp.ButtonLeft), chromedp.MouseEvent("mouseMoved", x, y+40, chromedp.ButtonLeft), chromedp.MouseEvent("mouseMoved", toX, y+74, chromedp.ButtonLeft))
	b.Until(`!document.querySelector("#trial").hidden && document.querySelector("#trial").innerText.includes(" to ")`)
	assert.Empty(t, moved(), "nothing is kept while it is on its way")
	b.Do(chromedp.MouseEvent("mouseReleased", toX, y+74, chromedp.ButtonLeft))
	b.Until(`document.querySelector("[data-moved]") !== null && document.readyState === "complete"`)
	after, err := planned().TaskOf(key)
	require.NoError(t, err)
	assert.True(t, after.Moved)
	assert.NotEqual(t, before.PersonID, after.PersonID)
	assert.InDelta(t, 2*60, after.From.Sub(before.From).Minutes(), 16, "two hours later, to a quarter of an hour")

	// Undo, by its key.
	b.Do(chromedp.KeyEvent("z"))
	b.Until(`document.querySelector("[data-moved]") === null && document.readyState === "complete"`)
	assert.Empty(t, moved())

	// By finger.
	b.Do(chromedp.EmulateViewport(1280, 800, chromedp.EmulateTouch))
	x, y, toX = middle()
	at := func(x, y float64) *input.TouchPoint { return &input.TouchPoint{X: x, Y: y} }
	b.Do(webtest.Touch("touchStart", at(x, y)), webtest.Touch("touchMove", at(x, y+40)), webtest.Touch("touchMove", at(toX, y+37)))
	b.Until(`!document.querySelector("#trial").hidden`)
	b.Do(webtest.Touch("touchEnd"))
	b.Until(`document.querySelector("[data-moved]") !== null && document.readyState === "complete"`)
	assert.Len(t, moved(), 1)
	b.Do(chromedp.KeyEvent("z"))
	b.Until(`document.querySelector("[data-moved]") === null && document.readyState === "complete"`)

	// By keys: taken up, carried over midday, told that the order gets late, and given up.
	take := func() {
		b.Eval(widest + ".focus()")
		b.Do(chromedp.KeyEvent("m"))
		b.Until(`document.querySelector("svg.moving") !== null`)
	}
	take()
	b.Do(chromedp.KeyEvent(kb.ArrowDown), chromedp.KeyEvent(kb.ArrowDown), chromedp.KeyEvent(kb.Escape))
	b.Until(`document.querySelector("svg.moving") === null`)
	assert.Empty(t, moved())
	take()
	b.Do(chromedp.KeyEvent(kb.ArrowRight), chromedp.KeyEvent(kb.ArrowLeft), chromedp.KeyEvent(kb.ArrowDown), chromedp.KeyEvent(kb.ArrowDown), chromedp.KeyEvent(kb.Enter))
	b.Until(`document.querySelector("[data-moved]") !== null && document.readyState === "complete"`)
	require.Len(t, moved(), 1)
	b.Eval(`document.querySelector("[data-moved]").focus()`)
	b.Do(chromedp.KeyEvent("l"))
	b.Until(`document.querySelector("[data-moved]") === null && document.readyState === "complete"`)
	assert.Empty(t, moved(), "let go again")
	b.Eval(widest + ".focus()")
	b.Do(chromedp.KeyEvent("l"))
	b.Until(`document.querySelector("[data-moved]") !== null && document.readyState === "complete"`)
	assert.Equal(t, before.From, moved()[0].From, "locked where it is")

	// What gets late says so before it is let go; another tablet sees by itself what was done.
	sheet := s.Get("/plan/try?task=" + url.QueryEscape(key) + "&person=0&day=2026-05-19&at=16:00")
	assert.Contains(t, sheet.Text, "after it is wanted")
	assert.Contains(t, s.Get("/plan/try?task="+url.QueryEscape(key)+"&person=0&day=2026-05-19&at=noon").Text, "as 14:15")
	require.NoError(t, s.Plan.Undo(s.Ctx, s.Owner))
	b.Eval("document.activeElement.blur()")
	b.Until(`document.querySelector("[data-moved]") === null && document.readyState === "complete"`)
	b.Quiet()
}
