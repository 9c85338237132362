package web_test

import (
	"strings"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sakuji/app/apptest"
	"sakuji/app/orders"
	"sakuji/web/kit"
	"sakuji/web/webtest"
)

// A word without end is broken where it must be: no sheet grows wider than the screen.
func TestLongWordsWrapOnScreens(t *testing.T) {
	if testing.Short() {
		t.Skip("drives a browser")
	}
	s := webtest.Serve(t, apptest.New(t), kit.Options{Demo: &webtest.StoppedTime{}})
	word := strings.Repeat("Heronpostmaster", 13)
	no := s.Order(2, "painted")
	sheet, err := s.Quotes.OrderSheet(s.Ctx, no)
	require.NoError(t, err)
	s.Change(no, sheet.Items[0].ID, 2, "painted", 1)
	require.NoError(t, s.Orders.ChangeOrder(s.Ctx, s.Owner, no, orders.OrderForm{NewClient: word, Title: word, Use: "display", Note: word}))
	require.NoError(t, s.Orders.AddPoint(s.Ctx, s.Owner, no, "question", word))
	q := s.Accept(no)
	s.Print()
	b := webtest.Browse(t, s.HTTP.URL)
	for _, width := range []int64{1280, 400} {
		b.Do(chromedp.EmulateViewport(width, 800))
		for _, path := range []string{"/", "/orders", "/orders/" + no, "/orders/" + no + "/quote", "/orders/" + no + "/delivery", "/clients", "/clients/2", "/bench?show=all", "/bench/" + no + "-1", "/plates", "/plates/1", "/logbook", "/find?q=heron", "/q/" + q.Token} {
			b.Open(path)
			assert.Equal(t, "true", b.Eval("return String(document.documentElement.scrollWidth <= innerWidth)"), "%s at %d px: %s", path, width,
				b.Eval(`return [...document.querySelectorAll("*")].filter((e) => e.getBoundingClientRect().right > innerWidth + 1).slice(0, 4).map((e) => e.tagName + "." + e.className + " " + e.textContent.slice(0, 20)).join(" | ")`))
		}
	}
}
