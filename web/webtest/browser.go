package webtest

import (
	"context"
	"encoding/base64"
	"encoding/json"
	"fmt"
	"os"
	"os/exec"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/chromedp/cdproto/log"
	"github.com/chromedp/cdproto/runtime"
	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// Browser is a tab of a headless Chromium on a site. The tests of a package share one Chromium; each has a profile of its own.
type Browser struct {
	Base string // of the site
	Ctx  context.Context
	t    testing.TB
	mu   sync.Mutex
	said []string // what went wrong in the page: exceptions, blocked content
}

// chromium is the one that is started for a package; it ends with the test's process.
var chromium = sync.OnceValues(func() (context.Context, error) {
	path, err := exec.LookPath("chromium")
	if err != nil {
		return nil, fmt.Errorf("the browser tests need Debian's chromium: %w", err)
	}
	alloc, _ := chromedp.NewExecAllocator(context.Background(), chromedp.ExecPath(path), chromedp.Headless, chromedp.NoSandbox,
		chromedp.DisableGPU, chromedp.NoFirstRun, chromedp.Flag("disable-background-networking", true), chromedp.Flag("disable-quic", true),
		chromedp.Flag("disable-component-update", true), chromedp.Flag("disable-sync", true), chromedp.Flag("hide-scrollbars", true),
		chromedp.WindowSize(1280, 800))
	ctx, _ := chromedp.NewContext(alloc)
	return ctx, chromedp.Do(ctx, chromedp.Navigate("about:blank"))
})

// Browse opens a tab. Without Chromium the test fails: `make test` installs it.
func Browse(t testing.TB, base string) *Browser {
	t.Helper()
	shared, err := chromium()
	require.NoError(t, err)
	ctx, cancel := chromedp.NewContext(shared, chromedp.WithNewBrowserContext())
	t.Cleanup(cancel)
	ctx, cancelTime := context.WithTimeout(ctx, 10*time.Minute)
	t.Cleanup(cancelTime)
	b := &Browser{t: t, Ctx: ctx, Base: base}
	b.Do(chromedp.EmulateViewport(1280, 800))
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

// Said is what went wrong in the pages so far.
func (b *Browser) Said() []string {
	b.mu.Lock()
	defer b.mu.Unlock()
	return slices.Clone(b.said)
}

// Forget forgets what went wrong so far.
func (b *Browser) Forget() {
	b.mu.Lock()
	defer b.mu.Unlock()
	b.said = nil
}

func (b *Browser) note(text string) {
	b.mu.Lock()
	defer b.mu.Unlock()
	b.said = append(b.said, text)
}

// Quiet asserts that nothing went wrong in any page so far.
func (b *Browser) Quiet() {
	b.t.Helper()
	assert.Empty(b.t, b.Said())
}

// Do has actions done in the tab.
func (b *Browser) Do(actions ...chromedp.Action[chromedp.Void]) {
	b.t.Helper()
	require.NoError(b.t, chromedp.Do(b.Ctx, actions...))
}

// Eval runs a script in the page and returns what it gives as text.
func (b *Browser) Eval(script string, args ...any) string {
	b.t.Helper()
	for i, a := range args {
		quoted, err := json.Marshal(a)
		require.NoError(b.t, err)
		args[i] = string(quoted)
	}
	v, err := chromedp.Run(b.Ctx, chromedp.Evaluate[string]("String((() => {"+fmt.Sprintf(script, args...)+"})())"))
	require.NoError(b.t, err, script)
	return v
}

// Until polls until a condition holds in a page that has been read to its end.
func (b *Browser) Until(condition string, args ...any) {
	b.t.Helper()
	b.Within(patience, condition, args...)
}

// Within polls for as long as it may take.
func (b *Browser) Within(patience time.Duration, condition string, args ...any) {
	b.t.Helper()
	for end := time.Now().Add(patience); time.Now().Before(end); time.Sleep(20 * time.Millisecond) {
		if v, err := b.Try("try { return document.readyState !== 'loading' && ("+condition+") } catch (e) { return false }", args...); err == nil && v == "true" {
			return
		}
	}
	b.t.Fatalf("never came true: %s %v\non %s:\n%s", condition, args, b.Eval("return location.pathname"), b.Eval("return document.body.innerText.slice(0, 1500)"))
}

// Try evaluates, minding that the page may be on its way out.
func (b *Browser) Try(script string, args ...any) (string, error) {
	quoted := make([]any, len(args))
	for i, a := range args {
		q, err := json.Marshal(a)
		if err != nil {
			return "", err
		}
		quoted[i] = string(q)
	}
	return chromedp.Run(b.Ctx, chromedp.Evaluate[string]("String((() => {"+fmt.Sprintf(script, quoted...)+"})())"))
}

// Open goes to a sheet of the site.
func (b *Browser) Open(path string) {
	b.t.Helper()
	b.Do(chromedp.Navigate(b.Base + path))
}

// Text is what is read at a place on the sheet.
func (b *Browser) Text(selector string) string {
	b.t.Helper()
	b.Until("document.querySelector(%s) !== null", selector)
	return strings.TrimSpace(b.Eval("return document.querySelector(%s).innerText", selector))
}

// Body is all that is read on the sheet.
func (b *Browser) Body() string { b.t.Helper(); return b.Eval("return document.body.innerText") }

// Fill sets a field as a person would leave it: with its input and change events.
func (b *Browser) Fill(selector, value string) {
	b.t.Helper()
	b.Until("document.querySelector(%s) !== null", selector)
	b.Eval(`const el = document.querySelector(%s); el.focus(); el.value = %s;
		el.dispatchEvent(new Event("input", {bubbles: true})); el.dispatchEvent(new Event("change", {bubbles: true})); el.blur()`, selector, value)
}

// Press clicks what leads to another page and waits until that stands.
func (b *Browser) Press(selector string) {
	b.t.Helper()
	b.Until("document.querySelector(%s) !== null", selector)
	b.Eval("window.left = true; document.querySelector(%s).click()", selector)
	b.Until("window.left !== true && document.readyState === 'complete'")
}

// Button presses the button or link that carries these words.
func (b *Browser) Button(words string) {
	b.t.Helper()
	const find = `[...document.querySelectorAll("main button, main a, .foot button")].find((e) => e.innerText.trim().startsWith(%s) && e.offsetParent !== null)`
	b.Until(find+" !== undefined", words)
	b.Eval("window.left = true; "+find+".click()", words)
	b.Until("window.left !== true && document.readyState === 'complete'")
}

// Drop drops files on the drop field of the sheet, as from a file manager.
func (b *Browser) Drop(files map[string][]byte) {
	b.t.Helper()
	encoded := map[string]string{}
	for name, data := range files {
		encoded[name] = base64.StdEncoding.EncodeToString(data)
	}
	b.Until("document.querySelector('.drop') !== null")
	b.Eval(`const dt = new DataTransfer();
		for (const [name, text] of Object.entries(%s)) dt.items.add(new File([Uint8Array.from(atob(text), (c) => c.charCodeAt(0))], name));
		window.left = true;
		document.querySelector(".drop").dispatchEvent(new DragEvent("drop", {dataTransfer: dt, bubbles: true, cancelable: true}))`, encoded)
	b.Until("window.left !== true && document.readyState === 'complete'")
}

// Shot takes a picture of the sheet.
func (b *Browser) Shot(file string) {
	b.t.Helper()
	png, err := chromedp.Run(b.Ctx, chromedp.CaptureScreenshot())
	require.NoError(b.t, err)
	require.NoError(b.t, os.WriteFile(file, png, 0o600))
}

// Euros reads a number of euros off the screen, in cents.
func Euros(t *testing.T, text string) int {
	t.Helper()
	m := regexp.MustCompile(`€ ([\d,]+)(?:\.(\d\d))?`).FindStringSubmatch(text)
	require.NotNil(t, m, "no euros in %q", text)
	whole, err := strconv.Atoi(strings.ReplaceAll(m[1], ",", ""))
	require.NoError(t, err)
	cents, _ := strconv.Atoi(m[2])
	return 100*whole + cents
}
