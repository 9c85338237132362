package web_test

import (
	"flag"
	"fmt"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"testing"
	"time"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sakuji/app/apptest"
	"sakuji/app/models"
	"sakuji/core/process"
	"sakuji/device"
	"sakuji/studio"
	"sakuji/web/kit"
	"sakuji/web/webtest"
)

var shots = flag.String("shots", "", "folder to take screenshots of the demo into")

// One order through the whole house in a browser, from an empty folder to a closed
// order, the numbers read off the screens. Machines are simulated.
func TestTheWholePathInABrowser(t *testing.T) {
	if testing.Short() {
		t.Skip("drives a browser")
	}
	s := webtest.Serve(t, apptest.Bare(t), kit.Options{})
	b := webtest.Browse(t, s.HTTP.URL)
	printers := device.Printers{Seed: 3}

	// The owner comes in and sets the studio up.
	b.Open("/")
	b.Fill("[name=name]", "Ilse Karg")
	b.Fill("[name=password]", "larch-and-lantern")
	b.Fill("[name=again]", "larch-and-lanterm")
	b.Eval(`document.querySelector("main form button").click()`)
	b.Until(`document.querySelector("#notice .notice")?.innerText.includes("differ")`)
	assert.Equal(t, "Ilse Karg", b.Eval(`return document.querySelector("[name=name]").value`), "what was typed stays")
	b.Fill("[name=again]", "larch-and-lantern")
	b.Press("main form button")
	assert.Equal(t, "/studio", b.Eval("return location.pathname"))
	b.Fill("[name=name]", "Lantern & Larch")
	b.Fill("[name=tax]", "20")
	b.Button("Save the studio")
	b.Open("/studio/machines/new")
	b.Fill("[name=name]", "Tarn")
	b.Button("Save")
	b.Open("/studio/materials/new")
	b.Button("Save")
	assert.Contains(t, b.Text("main"), "143 × 89 × 165 mm")

	// A client asks; a file is dropped; a price comes out of its geometry.
	b.Open("/orders/new")
	b.Fill("[name=new_client]", "Moth Post Guild")
	b.Fill("[name=title]", "Post vases")
	b.Fill("[name=wanted]", "2026-06-10")
	b.Button("Save the enquiry")
	assert.Equal(t, "/orders/0001", b.Eval("return location.pathname"))
	b.Drop(map[string][]byte{"vase.stl": apptest.Vase()})
	assert.Contains(t, b.Text(".item"), "24 × 24 × 40 mm")
	one := webtest.Euros(t, b.Text("#price"))

	// Everything that is chosen changes the price at once, on the same page.
	b.Eval("window.same = true")
	b.Fill(".item [name=copies]", "3")
	b.Until(`document.querySelector("#price").innerText !== %s`, "€ "+strconv.Itoa(one/100))
	three := webtest.Euros(t, b.Text("#price"))
	assert.Less(t, three, 3*one, "set-up and what is opened are shared")
	assert.Greater(t, three, one)
	b.Fill(".item [name=tier]", "primed")
	b.Until(`document.querySelector("#price").innerText !== %s`, "€ "+strconv.Itoa(three/100))
	primed := webtest.Euros(t, b.Text("#price"))
	assert.Less(t, primed, three, "painted was proposed")
	assert.Equal(t, "true", b.Eval("return window.same"), "no page was loaded for it")
	b.Eval(`document.querySelector("aside details.working summary").click()`)
	b.Until(`document.querySelector("aside details.working").open`)
	working := b.Text("aside details.working .box")
	assert.Contains(t, working, "cost ÷ (1 − margin), to a round price, then tax")
	assert.Contains(t, working, "margin, of the net price")
	exact := webtest.Euros(t, b.Text("aside details.working summary"))
	assert.InDelta(t, primed, exact, 50)

	// Two changes in quick succession both hold.
	b.Eval(`const f = document.querySelector(".item form"); for (const [name, value] of [["copies", "2"], ["scale", "110"], ["copies", "3"], ["scale", "100"]]) {
		f.elements[name].value = value; f.elements[name].dispatchEvent(new Event("change", {bubbles: true})) }`)
	b.Until(`document.querySelector(".htmx-request") === null && document.querySelector("#price").innerText === %s
		&& document.querySelector("aside details.working summary").innerText.includes(%s)`, "€ "+strconv.Itoa(primed/100), fmt.Sprintf("€ %d.%02d", exact/100, exact%100))
	sheet, err := s.Quotes.OrderSheet(s.Ctx, "0001")
	require.NoError(t, err)
	assert.Equal(t, 3, sheet.Items[0].Copies)
	assert.InDelta(t, 1, sheet.Items[0].Scale, 0)

	// Frozen and sent; the client opens the link and accepts.
	b.Button("Freeze and send")
	link := b.Eval(`return document.querySelector("#client-link").value`)
	b.Do(chromedp.Navigate(link))
	assert.Equal(t, exact, webtest.Euros(t, b.Text("#price")), "the client reads the same price")
	b.Fill("[name=name]", "Bram Ellery")
	b.Eval(`document.querySelector("[name=agreed]").click()`)
	b.Button("Accept for")
	assert.Contains(t, b.Body(), "Thank you")
	b.Open("/")
	assert.Contains(t, b.Body(), "Moth Post Guild has accepted: Post vases")
	b.Button("Look")
	deposit, err := strconv.ParseFloat(b.Eval(`return document.querySelector("#money [name=amount]").value`), 64)
	require.NoError(t, err)
	assert.InDelta(t, float64(exact)*0.3, 100*deposit, 1)
	b.Button("Note the payment")
	assert.Contains(t, b.Text("#money"), "deposit")

	// A plate is laid, started, runs by itself and is emptied piece by piece.
	print := func(failing string) {
		b.Open("/plates")
		b.Button("Lay the next plate")
		assert.Regexp(t, `^\d+ h`, b.Text("#runtime"))
		b.Fill("[name=room]", "21")
		if again := b.Eval(`return document.querySelectorAll("[name^=changed]").length`); again == "1" {
			b.Fill("[name^=changed]", "holes bored")
		}
		b.Eval(`document.querySelector("[name='looked[bed]']").click()`)
		b.Button("Start on Tarn")
		path := b.Eval("return location.pathname")
		s.Clock.Pass(12 * time.Hour)
		require.NoError(t, printers.Drive(s.Ctx, s.App))
		b.Open("/")
		assert.Contains(t, b.Body(), "Empty Tarn: plate")
		b.Open(path)
		b.Until(`document.querySelectorAll("#empty input[type=radio]").length > 0`)
		b.Eval(`for (const r of document.querySelectorAll("#empty input[value=good]")) r.click()`)
		if failing != "" {
			b.Eval(`const li = [...document.querySelectorAll("#empty li")].find((e) => e.innerText.includes(%s)); li.querySelector("[value=failed]").click()`, failing)
			b.Until(`[...document.querySelectorAll("#empty li")].find((e) => e.innerText.includes(%s)).querySelector("select[name^=cause]").offsetParent !== null`, failing)
			b.Eval(`const li = [...document.querySelectorAll("#empty li")].find((e) => e.innerText.includes(%s)); li.querySelector("select[name^=cause]").value = "half printed"`, failing)
		}
		b.Button("Empty the plate")
	}
	print("0001-2")
	assert.Contains(t, b.Body(), "failed: half printed")
	b.Open("/bench/0001-2")
	assert.Contains(t, b.Body(), "attempt 2")
	print("")

	// Each piece goes through its stages; one look sends a piece back to filling.
	sent := false
	for _, code := range []string{"0001-1", "0001-2", "0001-3"} {
		for range 60 {
			b.Open("/bench/" + code)
			if strings.Contains(b.Body(), "It is done") {
				break
			}
			p, err := s.Pieces.Piece(s.Ctx, code)
			require.NoError(t, err)
			if p.Wait {
				assert.Contains(t, b.Body(), "must wait")
				s.Clock.At = p.Until
				continue
			}
			if p.Piece.Now().Kind == "look" && !sent {
				sent = true
				b.Eval(`document.querySelector("summary[data-key=b]").click()`)
				b.Fill("form[action$=back] [name=note]", "pits at the rim")
				b.Button("Send back")
				assert.Contains(t, b.Body(), "sent back 1 ×")
				continue
			}
			b.Fill("[name=minutes]", "4")
			b.Button("Done: stamp it")
		}
	}
	assert.True(t, sent)

	// Delivered and closed, worked hours beside planned ones.
	b.Open("/")
	assert.Contains(t, b.Body(), "Deliver Post vases to Moth Post Guild")
	b.Button("Deliver")
	worked := b.Text(".huge")
	stamps := 3*14 + 5 // fourteen stages a piece, each paper one; filling, three papers and priming once more, the look that failed takes no minutes
	d, err := s.Delivery.Delivery(s.Ctx, "0001")
	require.NoError(t, err)
	assert.InDelta(t, float64(4*stamps)+d.Hours[0].Actual, d.Actual, 0.5)
	assert.Regexp(t, `^[123] h \d\d$`, worked)
	b.Button("Delivered")
	assert.Contains(t, b.Text("#money"), "still to pay")
	b.Button("Note the payment") // the rest
	b.Open("/orders/0001/delivery")
	b.Button("Close the order")
	assert.Contains(t, b.Text("main"), "closed")
	b.Open("/orders")
	assert.Contains(t, b.Text("main"), "closed")
	b.Open("/logbook")
	logged := b.Body()
	b.Eval(`document.querySelector("[data-key=o]").click()`)
	b.Until(`location.search.includes("before")`)
	logged += b.Body()
	for _, event := range []string{"quote accepted", "payment arrived", "print failed", "sent back", "delivered", "order closed"} {
		assert.Contains(t, logged, event)
	}
	b.Quiet()
}

// Keys named in the title block work, and letters keep still while typing or when
// switched off.
func TestKeys(t *testing.T) {
	if testing.Short() {
		t.Skip("drives a browser")
	}
	s := webtest.Serve(t, apptest.New(t), kit.Options{Demo: &webtest.StoppedTime{}})
	s.Accept(s.Order(2, "raw"))
	b := webtest.Browse(t, s.HTTP.URL)
	b.Open("/")
	key := func(k string) { b.Do(chromedp.KeyEvent(k)) }
	key("5")
	b.Until("location.pathname === '/plates' && document.readyState === 'complete'")
	key("f")
	b.Until("location.pathname === '/find' && document.readyState === 'complete'")
	b.Until("document.activeElement.name === 'q'")
	key("5")
	b.Until("document.querySelector('[name=q]').value === '5'")
	b.Fill("[name=q]", "")
	b.Eval("document.querySelector('[name=q]').value = ''")
	for _, k := range "vas" {
		b.Eval("document.querySelector('[name=q]').focus()")
		key(string(k))
	}
	b.Until("document.querySelector('#found').innerText.includes('Vases')")
	b.Open("/")
	key(kb.ArrowDown)
	b.Until("document.activeElement.closest('[data-row]') !== null")
	require.NoError(t, s.Setup.SetLetters(s.Ctx, s.Owner, true))
	b.Open("/")
	key("5")
	time.Sleep(200 * time.Millisecond)
	assert.Equal(t, "/", b.Eval("return location.pathname"))
	b.Quiet()
}

// The main sheets hold WCAG 2.2 AA as far as axe-core can tell, by day and by night.
func TestAccessible(t *testing.T) {
	library, err := os.ReadFile(filepath.Join("..", "node_modules", "axe-core", "axe.min.js"))
	if testing.Short() || os.IsNotExist(err) {
		t.Skip("needs a browser, and axe-core from npm")
	}
	require.NoError(t, err)
	s := webtest.Serve(t, apptest.New(t), kit.Options{Demo: &webtest.StoppedTime{}})
	no := s.Order(3, "painted")
	q := s.Accept(no)
	s.Print(no + "-2")
	_, _, err = s.Plates.LayPlate(s.Ctx, s.Bench, s.Tarn, s.Resin, studio.PrintProfile{})
	require.NoError(t, err)
	_, err = s.Orders.Receive(s.Ctx, s.Owner, "", []models.Kept{webtest.Kept(t, s.Studio, "bracelet.stl", webtest.Bracelet())}, true)
	require.NoError(t, err)
	s.Jobs.Settle(s.Ctx)
	_, err = s.Models.Remake(s.Ctx, s.Owner, 2, studio.JobOrient, studio.JobOptions{Process: "resin", Wishes: process.Of("resin").Wishes})
	require.NoError(t, err)
	s.Jobs.Settle(s.Ctx)
	second := s.Order(2, "painted")
	offered := s.Offers(second, "raw")
	b := webtest.Browse(t, s.HTTP.URL)
	for _, path := range []string{"/", "/orders", "/orders/" + no, "/orders/" + no + "/delivery", "/plates", "/plates/1", "/plates/2", "/stock", "/plates/plan?process=resin&material=1", "/plates/machines/1", "/plates/machines/2", "/plan", "/plan/week", "/plan/month", "/plan/changes", "/plan/away", "/plan/sheet", "/plan/possible/" + no, "/studio/people/1", "/bench/loads/wash", "/bench?show=all", "/bench/mine", "/bench/" + no + "-1",
		"/clients", "/clients/1", "/studio", "/studio/machines/1", "/rates", "/logbook", "/find?q=vas", "/q/" + q.Token,
		"/models", "/models/1", "/models/2", "/models/1/layers", "/models/2/prints", "/models/2/prints?process=filament&pieces=3", "/orders/" + no + "/items/1/size?by=ratio&ratio=1",
		"/orders/" + second + "/quote", "/orders/" + second + "/items/2/routes", "/orders/" + second + "/items/2/lines", "/q/" + offered.Token, "/quotes", "/rates/history", "/rates/check"} {
		b.Open(path)
		if strings.HasSuffix(path, "/quote") { // with all that can be unfolded
			b.Eval(`for (const d of document.querySelectorAll("main details:not(.working)")) d.open = true`)
			b.Until(`document.querySelectorAll("details[data-lines] table").length === 2`)
		}
		for _, theme := range []string{"day", "night"} {
			b.Eval(`document.documentElement.dataset.theme = %s`, theme)
			accessible(t, b, string(library), path+" by "+theme)
		}
	}
	bare := webtest.Serve(t, apptest.Bare(t), kit.Options{Exposed: true, FirstToken: "T"})
	b.Base = bare.HTTP.URL
	b.Open("/first")
	accessible(t, b, string(library), "/first")
	b.Open("/no/such/sheet")
	accessible(t, b, string(library), "an error page")
	signed := webtest.Serve(t, apptest.New(t), kit.Options{})
	b.Base = signed.HTTP.URL
	b.Open("/sign-in")
	accessible(t, b, string(library), "/sign-in")
}

// accessible asserts that axe-core finds no fault with the page that stands.
func accessible(t *testing.T, b *webtest.Browser, script, what string) {
	t.Helper()
	b.Until("document.readyState === 'complete' && !document.querySelector('[data-again]')") // a sheet that asks for itself again would take the answer with it
	if b.Eval("return typeof axe") == "undefined" {
		_, err := chromedp.Run(b.Ctx, chromedp.Evaluate[any](script+"; 0"))
		require.NoError(t, err)
	}
	b.Eval(`delete window.found; axe.run(document, {runOnly: ["wcag2a", "wcag2aa", "wcag21a", "wcag21aa", "wcag22aa"]}).then((r) => (window.found = r.violations.map((v) => v.id + " × " + v.nodes.length + ": " + v.nodes[0].html.slice(0, 160)).join("\n")))`)
	b.Within(time.Minute, "window.found !== undefined") // it looks at every element, and the machine may be busy
	assert.Empty(t, b.Eval("return window.found"), what)
}
