package web

import (
	"context"
	"encoding/base64"
	"encoding/json"
	"flag"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strconv"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/chromedp/cdproto/log"
	"github.com/chromedp/cdproto/runtime"
	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sakuji/app/apptest"
	"sakuji/app/models"
	"sakuji/device"
	"sakuji/studio"
	"sakuji/web/kit"
)

var shots = flag.String("shots", "", "folder to take screenshots of the demo into")

// browser is a headless Chromium with one tab on a site.
type browser struct {
	t    testing.TB
	ctx  context.Context
	base string
	mu   sync.Mutex
	said []string // what went wrong in the page: exceptions, blocked content
}

// browse starts Chromium. Without it the test fails: `make test` installs it.
func browse(t testing.TB, base string) *browser {
	t.Helper()
	path, err := exec.LookPath("chromium")
	require.NoError(t, err, "the browser tests need Debian's chromium")
	alloc, stop := chromedp.NewExecAllocator(t.Context(), chromedp.ExecPath(path), chromedp.Headless, chromedp.NoSandbox, chromedp.DisableGPU, chromedp.NoFirstRun,
		chromedp.Flag("disable-background-networking", true), chromedp.Flag("disable-quic", true), chromedp.Flag("disable-component-update", true),
		chromedp.Flag("disable-sync", true), chromedp.Flag("hide-scrollbars", true), chromedp.WindowSize(1280, 800))
	t.Cleanup(stop)
	ctx, cancel := chromedp.NewContext(alloc)
	t.Cleanup(cancel)
	ctx, cancelTime := context.WithTimeout(ctx, 4*time.Minute)
	t.Cleanup(cancelTime)
	b := &browser{t: t, ctx: ctx, base: base}
	b.do(chromedp.EmulateViewport(1280, 800))
	exceptions, entries := chromedp.Events(ctx, runtime.ExceptionThrown), chromedp.Events(ctx, log.EntryAdded)
	go func() {
		for e, err := range exceptions {
			if err != nil {
				return
			}
			b.note(fmt.Sprintf("exception: %+v", e.ExceptionDetails.Text))
		}
	}()
	go func() {
		for e, err := range entries {
			if err != nil {
				return
			}
			if e.Entry.Level == log.EntryLevelError && !strings.Contains(e.Entry.Text, "422") {
				b.note(e.Entry.Text)
			}
		}
	}()
	return b
}

func (b *browser) note(text string) {
	b.mu.Lock()
	defer b.mu.Unlock()
	b.said = append(b.said, text)
}

// quiet asserts that nothing went wrong in any page so far.
func (b *browser) quiet() {
	b.t.Helper()
	b.mu.Lock()
	defer b.mu.Unlock()
	assert.Empty(b.t, b.said)
}

func (b *browser) do(actions ...chromedp.Action[chromedp.Void]) {
	b.t.Helper()
	require.NoError(b.t, chromedp.Do(b.ctx, actions...))
}

// eval runs a script in the page and returns what it gives as text.
func (b *browser) eval(script string, args ...any) string {
	b.t.Helper()
	for i, a := range args {
		quoted, err := json.Marshal(a)
		require.NoError(b.t, err)
		args[i] = string(quoted)
	}
	v, err := chromedp.Run(b.ctx, chromedp.Evaluate[string]("String((() => {"+fmt.Sprintf(script, args...)+"})())"))
	require.NoError(b.t, err, script)
	return v
}

// until polls until a condition holds in the page.
func (b *browser) until(condition string, args ...any) {
	b.t.Helper()
	b.within(15*time.Second, condition, args...)
}

// within polls for as long as it may take.
func (b *browser) within(patience time.Duration, condition string, args ...any) {
	b.t.Helper()
	for end := time.Now().Add(patience); time.Now().Before(end); time.Sleep(20 * time.Millisecond) {
		if v, err := b.try("try { return "+condition+" } catch (e) { return false }", args...); err == nil && v == "true" {
			return
		}
	}
	b.t.Fatalf("never came true: %s %v\non %s:\n%s", condition, args, b.eval("return location.pathname"), b.eval("return document.body.innerText.slice(0, 1500)"))
}

// try evaluates, minding that the page may be on its way out.
func (b *browser) try(script string, args ...any) (string, error) {
	quoted := make([]any, len(args))
	for i, a := range args {
		q, err := json.Marshal(a)
		if err != nil {
			return "", err
		}
		quoted[i] = string(q)
	}
	return chromedp.Run(b.ctx, chromedp.Evaluate[string]("String((() => {"+fmt.Sprintf(script, quoted...)+"})())"))
}

func (b *browser) open(path string) {
	b.t.Helper()
	b.do(chromedp.Navigate(b.base + path))
}

// text is what is read at a place on the sheet.
func (b *browser) text(selector string) string {
	b.t.Helper()
	b.until("document.querySelector(%s) !== null", selector)
	return strings.TrimSpace(b.eval("return document.querySelector(%s).innerText", selector))
}

func (b *browser) body() string { b.t.Helper(); return b.eval("return document.body.innerText") }

// fill sets a field as a person would leave it: with its input and change events.
func (b *browser) fill(selector, value string) {
	b.t.Helper()
	b.until("document.querySelector(%s) !== null", selector)
	b.eval(`const el = document.querySelector(%s); el.focus(); el.value = %s;
		el.dispatchEvent(new Event("input", {bubbles: true})); el.dispatchEvent(new Event("change", {bubbles: true})); el.blur()`, selector, value)
}

// press clicks what leads to another page and waits until that stands.
func (b *browser) press(selector string) {
	b.t.Helper()
	b.until("document.querySelector(%s) !== null", selector)
	b.eval("window.left = true; document.querySelector(%s).click()", selector)
	b.until("window.left !== true && document.readyState === 'complete'")
}

// button presses the button or link that carries these words.
func (b *browser) button(words string) {
	b.t.Helper()
	const find = `[...document.querySelectorAll("main button, main a, .foot button")].find((e) => e.innerText.trim().startsWith(%s) && e.offsetParent !== null)`
	b.until(find+" !== undefined", words)
	b.eval("window.left = true; "+find+".click()", words)
	b.until("window.left !== true && document.readyState === 'complete'")
}

// drop drops files on the drop field of the sheet, as from a file manager.
func (b *browser) drop(files map[string][]byte) {
	b.t.Helper()
	encoded := map[string]string{}
	for name, data := range files {
		encoded[name] = base64.StdEncoding.EncodeToString(data)
	}
	b.until("document.querySelector('.drop') !== null")
	b.eval(`const dt = new DataTransfer();
		for (const [name, text] of Object.entries(%s)) dt.items.add(new File([Uint8Array.from(atob(text), (c) => c.charCodeAt(0))], name));
		window.left = true;
		document.querySelector(".drop").dispatchEvent(new DragEvent("drop", {dataTransfer: dt, bubbles: true, cancelable: true}))`, encoded)
	b.until("window.left !== true && document.readyState === 'complete'")
}

func (b *browser) shot(file string) {
	b.t.Helper()
	png, err := chromedp.Run(b.ctx, chromedp.CaptureScreenshot())
	require.NoError(b.t, err)
	require.NoError(b.t, os.WriteFile(file, png, 0o600))
}

// euros reads a number of euros off the screen, in cents.
func euros(t *testing.T, text string) int {
	t.Helper()
	m := regexp.MustCompile(`€ ([\d,]+)(?:\.(\d\d))?`).FindStringSubmatch(text)
	require.NotNil(t, m, "no euros in %q", text)
	whole, err := strconv.Atoi(strings.ReplaceAll(m[1], ",", ""))
	require.NoError(t, err)
	cents, _ := strconv.Atoi(m[2])
	return 100*whole + cents
}

// One order through the whole house in a browser, from an empty folder to a closed
// order, the numbers read off the screens. Machines are simulated.
func TestTheWholePathInABrowser(t *testing.T) {
	if testing.Short() {
		t.Skip("drives a browser")
	}
	s := serve(t, apptest.Bare(t), kit.Options{})
	b := browse(t, s.server.URL)
	printers := device.Printers{Seed: 3}

	// The owner comes in and sets the studio up.
	b.open("/")
	b.fill("[name=name]", "Ilse Karg")
	b.fill("[name=password]", "larch-and-lantern")
	b.fill("[name=again]", "larch-and-lanterm")
	b.eval(`document.querySelector("main form button").click()`)
	b.until(`document.querySelector("#notice .notice")?.innerText.includes("differ")`)
	assert.Equal(t, "Ilse Karg", b.eval(`return document.querySelector("[name=name]").value`), "what was typed stays")
	b.fill("[name=again]", "larch-and-lantern")
	b.press("main form button")
	assert.Equal(t, "/studio", b.eval("return location.pathname"))
	b.fill("[name=name]", "Lantern & Larch")
	b.fill("[name=tax]", "20")
	b.button("Save the studio")
	b.open("/studio/machines/new")
	b.fill("[name=name]", "Tarn")
	b.button("Save")
	b.open("/studio/materials/new")
	b.button("Save")
	assert.Contains(t, b.text("main"), "143 × 89 × 165 mm")

	// A client asks; a file is dropped; a price comes out of its geometry.
	b.open("/orders/new")
	b.fill("[name=new_client]", "Moth Post Guild")
	b.fill("[name=title]", "Post vases")
	b.fill("[name=wanted]", "2026-06-10")
	b.button("Save the enquiry")
	assert.Equal(t, "/orders/0001", b.eval("return location.pathname"))
	b.drop(map[string][]byte{"vase.stl": apptest.Vase()})
	assert.Contains(t, b.text(".item"), "24 × 24 × 40 mm")
	one := euros(t, b.text("#price"))

	// Everything that is chosen changes the price at once, on the same page.
	b.eval("window.same = true")
	b.fill(".item [name=copies]", "3")
	b.until(`document.querySelector("#price").innerText !== %s`, "€ "+strconv.Itoa(one/100))
	three := euros(t, b.text("#price"))
	assert.Less(t, three, 3*one, "set-up and what is opened are shared")
	assert.Greater(t, three, one)
	b.fill(".item [name=tier]", "primed")
	b.until(`document.querySelector("#price").innerText !== %s`, "€ "+strconv.Itoa(three/100))
	primed := euros(t, b.text("#price"))
	assert.Less(t, primed, three, "painted was proposed")
	assert.Equal(t, "true", b.eval("return window.same"), "no page was loaded for it")
	b.eval(`document.querySelector("aside details.working summary").click()`)
	b.until(`document.querySelector("aside details.working").open`)
	working := b.text("aside details.working .box")
	assert.Contains(t, working, "cost ÷ (1 − margin), to a round price, then tax")
	assert.Contains(t, working, "margin, of the net price")
	exact := euros(t, b.text("aside details.working summary"))
	assert.InDelta(t, primed, exact, 50)

	// Two changes in quick succession both hold.
	b.eval(`const f = document.querySelector(".item form"); for (const [name, value] of [["copies", "2"], ["scale", "110"], ["copies", "3"], ["scale", "100"]]) {
		f.elements[name].value = value; f.elements[name].dispatchEvent(new Event("change", {bubbles: true})) }`)
	b.until(`document.querySelector("#price").innerText === %s`, "€ "+strconv.Itoa((primed)/100))
	time.Sleep(300 * time.Millisecond)
	assert.Equal(t, exact, euros(t, b.text("aside details.working summary")))

	// Frozen and sent; the client opens the link and accepts.
	b.button("Freeze and send")
	link := b.eval(`return document.querySelector("#client-link").value`)
	b.do(chromedp.Navigate(link))
	assert.Equal(t, exact, euros(t, b.text("#price")), "the client reads the same price")
	b.fill("[name=name]", "Bram Ellery")
	b.eval(`document.querySelector("[name=agreed]").click()`)
	b.button("Accept for")
	assert.Contains(t, b.body(), "Thank you")
	b.open("/")
	assert.Contains(t, b.body(), "Moth Post Guild has accepted: Post vases")
	b.button("Look")
	deposit, err := strconv.ParseFloat(b.eval(`return document.querySelector("#money [name=amount]").value`), 64)
	require.NoError(t, err)
	assert.InDelta(t, float64(exact)*0.3, 100*deposit, 1)
	b.button("Note the payment")
	assert.Contains(t, b.text("#money"), "deposit")

	// A plate is laid, started, runs by itself and is emptied piece by piece.
	print := func(failing string) {
		b.open("/plates")
		b.button("Lay the next plate")
		assert.Regexp(t, `^\d+ h`, b.text("#runtime"))
		b.fill("[name=room]", "21")
		if again := b.eval(`return document.querySelectorAll("[name^=changed]").length`); again == "1" {
			b.fill("[name^=changed]", "holes bored")
		}
		b.eval(`document.querySelector("[name='looked[bed]']").click()`)
		b.button("Start on Tarn")
		path := b.eval("return location.pathname")
		s.Clock.Pass(12 * time.Hour)
		require.NoError(t, printers.Drive(s.Ctx, s.App))
		b.open("/")
		assert.Contains(t, b.body(), "Empty Tarn: plate")
		b.open(path)
		b.until(`document.querySelectorAll("#empty input[type=radio]").length > 0`)
		b.eval(`for (const r of document.querySelectorAll("#empty input[value=good]")) r.click()`)
		if failing != "" {
			b.eval(`const li = [...document.querySelectorAll("#empty li")].find((e) => e.innerText.includes(%s)); li.querySelector("[value=failed]").click()`, failing)
			b.until(`[...document.querySelectorAll("#empty li")].find((e) => e.innerText.includes(%s)).querySelector("select[name^=cause]").offsetParent !== null`, failing)
			b.eval(`const li = [...document.querySelectorAll("#empty li")].find((e) => e.innerText.includes(%s)); li.querySelector("select[name^=cause]").value = "half printed"`, failing)
		}
		b.button("Empty the plate")
	}
	print("0001-2")
	assert.Contains(t, b.body(), "failed: half printed")
	b.open("/bench/0001-2")
	assert.Contains(t, b.body(), "attempt 2")
	print("")

	// Each piece goes through its stages; one look sends a piece back to filling.
	sent := false
	for _, code := range []string{"0001-1", "0001-2", "0001-3"} {
		for range 60 {
			b.open("/bench/" + code)
			if strings.Contains(b.body(), "It is done") {
				break
			}
			p, err := s.Pieces.Piece(s.Ctx, code)
			require.NoError(t, err)
			if p.Wait {
				assert.Contains(t, b.body(), "must wait")
				s.Clock.At = p.Until
				continue
			}
			if p.Piece.Now().Kind == "look" && !sent {
				sent = true
				b.eval(`document.querySelector("summary[data-key=b]").click()`)
				b.fill("form[action$=back] [name=note]", "pits at the rim")
				b.button("Send back")
				assert.Contains(t, b.body(), "sent back 1 ×")
				continue
			}
			b.fill("[name=minutes]", "4")
			b.button("Done: stamp it")
		}
	}
	assert.True(t, sent)

	// Delivered and closed, worked hours beside planned ones.
	b.open("/")
	assert.Contains(t, b.body(), "Deliver Post vases to Moth Post Guild")
	b.button("Deliver")
	worked := b.text(".huge")
	stamps := 3*14 + 5 // fourteen stages a piece, each paper one; filling, three papers and priming once more, the look that failed takes no minutes
	d, err := s.Delivery.Delivery(s.Ctx, "0001")
	require.NoError(t, err)
	assert.InDelta(t, float64(4*stamps)+d.Hours[0].Actual, d.Actual, 0.5)
	assert.Regexp(t, `^[123] h \d\d$`, worked)
	b.button("Delivered")
	assert.Contains(t, b.text("#money"), "still to pay")
	b.button("Note the payment") // the rest
	b.open("/orders/0001/delivery")
	b.button("Close the order")
	assert.Contains(t, b.text("main"), "closed")
	b.open("/orders")
	assert.Contains(t, b.text("main"), "closed")
	b.open("/logbook")
	logged := b.body()
	b.eval(`document.querySelector("[data-key=o]").click()`)
	b.until(`location.search.includes("before")`)
	logged += b.body()
	for _, event := range []string{"quote accepted", "payment arrived", "print failed", "sent back", "delivered", "order closed"} {
		assert.Contains(t, logged, event)
	}
	b.quiet()
}

// Keys named in the title block work, and letters keep still while typing or when
// switched off.
func TestKeys(t *testing.T) {
	if testing.Short() {
		t.Skip("drives a browser")
	}
	s := serve(t, apptest.New(t), kit.Options{Demo: &stoppedTime{}})
	s.Accept(s.Order(2, "raw"))
	b := browse(t, s.server.URL)
	b.open("/")
	key := func(k string) { b.do(chromedp.KeyEvent(k)) }
	key("5")
	b.until("location.pathname === '/plates' && document.readyState === 'complete'")
	key("f")
	b.until("location.pathname === '/find' && document.readyState === 'complete'")
	b.until("document.activeElement.name === 'q'")
	key("5")
	b.until("document.querySelector('[name=q]').value === '5'")
	b.fill("[name=q]", "")
	b.eval("document.querySelector('[name=q]').value = ''")
	for _, k := range "vas" {
		b.eval("document.querySelector('[name=q]').focus()")
		key(string(k))
	}
	b.until("document.querySelector('#found').innerText.includes('Vases')")
	b.open("/")
	key(kb.ArrowDown)
	b.until("document.activeElement.closest('[data-row]') !== null")
	require.NoError(t, s.Setup.SetLetters(s.Ctx, s.Owner, true))
	b.open("/")
	key("5")
	time.Sleep(200 * time.Millisecond)
	assert.Equal(t, "/", b.eval("return location.pathname"))
	b.quiet()
}

// The main sheets hold WCAG 2.2 AA as far as axe-core can tell, by day and by night.
func TestAccessible(t *testing.T) {
	axe, err := os.ReadFile(filepath.Join("..", "node_modules", "axe-core", "axe.min.js"))
	if testing.Short() || os.IsNotExist(err) {
		t.Skip("needs a browser, and axe-core from npm")
	}
	require.NoError(t, err)
	s := serve(t, apptest.New(t), kit.Options{Demo: &stoppedTime{}})
	no := s.Order(3, "painted")
	q := s.Accept(no)
	s.Print(no + "-2")
	_, _, err = s.Plates.LayPlate(s.Ctx, s.Bench, s.Tarn, s.Resin, studio.PrintProfile{})
	require.NoError(t, err)
	_, err = s.Orders.Receive(s.Ctx, s.Owner, "", []models.Kept{kept(t, s.Studio, "bracelet.stl", bracelet())}, true)
	require.NoError(t, err)
	s.Jobs.Settle(s.Ctx)
	_, err = s.Models.Remake(s.Ctx, s.Owner, 2, studio.JobOrient, studio.JobOptions{Process: "resin", Wishes: studio.WishesFor("resin")})
	require.NoError(t, err)
	s.Jobs.Settle(s.Ctx)
	second := s.Order(2, "painted")
	offered := s.offers(second, "raw")
	b := browse(t, s.server.URL)
	for _, theme := range []string{"day", "night"} {
		b.open("/")
		b.eval(`fetch("/me", {method: "POST", body: new URLSearchParams({theme: %s})}).then(() => (window.themed = true))`, theme)
		b.until("window.themed === true")
		for _, path := range []string{"/", "/orders", "/orders/" + no, "/orders/" + no + "/delivery", "/plates", "/plates/1", "/plates/2", "/stock", "/plates/plan?process=resin&material=1", "/plates/machines/1", "/plates/machines/2", "/plan", "/plan/week", "/plan/month", "/plan/changes", "/plan/away", "/plan/sheet", "/plan/possible/" + no, "/studio/people/1", "/bench/loads/wash", "/bench?show=all", "/bench/mine", "/bench/" + no + "-1",
			"/clients", "/clients/1", "/studio", "/studio/machines/1", "/rates", "/logbook", "/find?q=vas", "/q/" + q.Token,
			"/models", "/models/1", "/models/2", "/models/1/layers", "/models/2/prints", "/models/2/prints?process=filament&pieces=3", "/orders/" + no + "/items/1/size?by=ratio&ratio=1",
			"/orders/" + second + "/quote", "/orders/" + second + "/items/2/routes", "/orders/" + second + "/items/2/lines", "/q/" + offered.Token, "/quotes", "/rates/history", "/rates/check"} {
			b.open(path)
			if strings.HasSuffix(path, "/quote") { // with all that can be unfolded
				b.eval(`for (const d of document.querySelectorAll("main details:not(.working)")) d.open = true`)
				b.until(`document.querySelectorAll("details[data-lines] table").length === 2`)
			}
			b.axe(string(axe), path+" by "+theme)
		}
	}
	bare := serve(t, apptest.Bare(t), kit.Options{Exposed: true, FirstToken: "T"})
	b.base = bare.server.URL
	b.open("/first")
	b.axe(string(axe), "/first")
	b.open("/no/such/sheet")
	b.axe(string(axe), "an error page")
	signed := serve(t, apptest.New(t), kit.Options{})
	b.base = signed.server.URL
	b.open("/sign-in")
	b.axe(string(axe), "/sign-in")
}

// axe asserts that axe-core finds no fault with the page that stands.
func (b *browser) axe(script, what string) {
	b.t.Helper()
	b.until("document.readyState === 'complete' && !document.querySelector('[data-again]')") // a sheet that asks for itself again would take the answer with it
	_, err := chromedp.Run(b.ctx, chromedp.Evaluate[any](script+"; 0"))
	require.NoError(b.t, err)
	b.eval(`axe.run(document, {runOnly: ["wcag2a", "wcag2aa", "wcag21a", "wcag21aa", "wcag22aa"]}).then((r) => (window.found = r.violations.map((v) => v.id + " × " + v.nodes.length + ": " + v.nodes[0].html.slice(0, 160)).join("\n")))`)
	b.within(time.Minute, "window.found !== undefined") // it looks at every element, and the machine may be busy
	assert.Empty(b.t, b.eval("return window.found"), what)
}
