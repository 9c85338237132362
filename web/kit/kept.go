package kit

import (
	"bytes"
	"cmp"
	"context"
	"crypto/rand"
	"fmt"
	"html/template"
	"maps"
	"net/http"
	"net/http/httptest"
	"net/url"
	"sakuji/app/change"
	"slices"
	"strconv"
	"strings"
	"sync"

	"github.com/go-chi/chi/v5"
	"golang.org/x/net/html"
)

// A form that shows what is kept (data-kept) carries the values it was drawn with. When
// anything has been changed in the studio since, the sheet is drawn once more beside it:
// only what was changed in this form is saved, and a field that was changed on both sides
// is asked about.
const (
	keptMark  = "data-kept"
	shownName = "kept"
)

// shown is what a form was drawn with.
type shown struct {
	ID     string // of this drawing
	Change int64  // the newest change of the studio then
	From   string // the sheet
	Values url.Values
}

func (v shown) String() string {
	return fmt.Sprintf("%s %d %s %s", v.ID, v.Change, url.QueryEscape(v.From), v.Values.Encode())
}

func readShown(text string) (v shown, ok bool) {
	words := strings.SplitN(text, " ", 4)
	if len(words) != 4 {
		return v, false
	}
	var errs [3]error
	v.ID = words[0]
	v.Change, errs[0] = strconv.ParseInt(words[1], 10, 64)
	v.From, errs[1] = url.QueryUnescape(words[2])
	v.Values, errs[2] = url.ParseQuery(words[3])
	return v, errs == [3]error{} && OwnPath(v.From, "") != ""
}

// withShown gives every form that shows what is kept the values that it is drawn with.
func (s *Kit) withShown(r *http.Request, page []byte) []byte {
	if !bytes.Contains(page, []byte(keptMark)) {
		return page
	}
	last, err := s.App.Models.LastChange(r.Context())
	if err != nil {
		return page // without it the form saves all it has, as it stands
	}
	from := r.URL.RequestURI()
	if at, err := url.Parse(r.Header.Get("HX-Current-URL")); err == nil && at.Path != "" {
		from = at.RequestURI()
	}
	out := bytes.NewBuffer(make([]byte, 0, len(page)+len(page)/8))
	for {
		mark := bytes.Index(page, []byte(keptMark))
		if mark < 0 {
			break
		}
		begin, end := bytes.LastIndex(page[:mark], []byte("<form")), bytes.Index(page[mark:], []byte("</form>"))
		var f []DrawnForm
		if begin >= 0 && end >= 0 {
			f = DrawnForms(page[begin : mark+end]) // only the form is read, the sheet has much more
		}
		if len(f) == 0 || !f[0].kept || mark >= begin+f[0].start { // the word stands in a text
			out.Write(page[:mark+len(keptMark)])
			page = page[mark+len(keptMark):]
			continue
		}
		out.Write(page[:begin+f[0].start])
		fmt.Fprintf(out, `<input type="hidden" name="%s" value="%s">`, shownName, template.HTMLEscapeString(shown{rand.Text()[:12], last, from, f[0].Values}.String()))
		page = page[begin+f[0].start:]
	}
	out.Write(page)
	return out.Bytes()
}

// DrawnForm is a form of a page as it was drawn.
type DrawnForm struct {
	Action, Method string
	Values         url.Values        // what it sends if nobody touches it
	Labels         map[string]string // of its fields

	kept  bool
	start int // behind its opening tag
}

// DrawnForms reads the forms of a page of ours.
func DrawnForms(page []byte) []DrawnForm {
	var f formReader
	z := html.NewTokenizer(bytes.NewReader(page))
	for at := 0; ; {
		kind := z.Next()
		if kind == html.ErrorToken {
			return f.list
		}
		at += len(z.Raw())
		switch kind {
		case html.TextToken:
			if f.in && (f.area != "" || f.open || f.named) {
				f.text(string(z.Text()))
			}
		case html.StartTagToken, html.SelfClosingTagToken, html.EndTagToken:
			name, more := z.TagName()
			tag := formTags[string(name)]
			switch {
			case tag == "" || !f.in && tag != "form":
			case kind == html.EndTagToken:
				f.end(tag)
			case tag == "form":
				has := attributes(z, more)
				f.list = append(f.list, DrawnForm{Action: has.action, Method: has.method, Values: url.Values{}, Labels: map[string]string{}, kept: has.kept, start: at})
				f.in = true
			default:
				f.begin(tag, attributes(z, more))
			}
		}
	}
}

// formTags are the tags that matter to a form; a sheet has many more.
var formTags = map[string]string{"form": "form", "input": "input", "select": "select", "option": "option", "textarea": "textarea", "label": "label"}

// formTag is what counts of a tag.
type formTag struct {
	name, value, kind, action, method, aria  string
	checked, selected, disabled, kept, given bool // given: it has a value, though an empty one
}

func attributes(z *html.Tokenizer, more bool) (t formTag) {
	for more {
		var key, value []byte
		key, value, more = z.TagAttr()
		switch string(key) {
		case "name":
			t.name = string(value)
		case "value":
			t.value, t.given = string(value), true
		case "type":
			t.kind = string(value)
		case "action":
			t.action = string(value)
		case "method":
			t.method = string(value)
		case "aria-label":
			t.aria = string(value)
		case "checked":
			t.checked = true
		case "selected":
			t.selected = true
		case "disabled":
			t.disabled = true
		case keptMark:
			t.kept = true
		}
	}
	return t
}

// formReader reads forms tag by tag.
type formReader struct {
	list  []DrawnForm
	in    bool
	label string // read so far
	named bool   // a label is open
	area  string // the text area that is open

	choice, chosen string // the select that is open, and its value so far
	options        int    // of it
	picked, open   bool   // the option being read is the selected one; it sends its text
}

func (f *formReader) form() DrawnForm { return f.list[len(f.list)-1] }

func (f *formReader) text(data string) {
	switch {
	case f.area != "":
		f.form().Values.Set(f.area, strings.TrimPrefix(data, "\n"))
	case f.open:
		f.offer(strings.TrimSpace(data)) // an option without a value sends its text
	default:
		f.label += data
	}
}

// offer is a value of the select that is open: the first counts until one is picked.
func (f *formReader) offer(value string) {
	if f.open = false; f.picked || f.options == 1 {
		f.chosen = value
	}
}

func (f *formReader) end(tag string) {
	switch tag {
	case "form":
		f.in = false
	case "label":
		f.label, f.named = "", false
	case "textarea":
		f.area = ""
	case "select":
		if f.choice != "" && f.options > 0 {
			f.form().Values.Set(f.choice, f.chosen)
		}
		f.choice = ""
	}
}

func (f *formReader) begin(tag string, t formTag) {
	switch {
	case tag == "label":
		f.label, f.named = "", true
		return
	case tag == "option" && f.choice != "":
		f.options++
		f.picked = t.selected
		if f.open = !t.given; t.given {
			f.offer(t.value)
		}
		return
	case t.name == "" || t.disabled || tag == "option":
		return
	}
	f.form().Labels[t.name] = cmp.Or(t.aria, strings.TrimSpace(f.label))
	switch {
	case tag == "select":
		f.choice, f.chosen, f.options = t.name, "", 0
	case tag == "textarea":
		f.area = t.name
		f.form().Values.Set(t.name, "")
	case t.kind == "checkbox" || t.kind == "radio":
		if t.checked {
			f.form().Values.Add(t.name, cmp.Or(t.value, "on"))
		}
	case t.kind != "submit" && t.kind != "button" && t.kind != "file" && t.kind != "password":
		f.form().Values.Add(t.name, t.value)
	}
}

// Merged lets a form that was drawn before another change save only what was changed in
// it; site is where its sheet is drawn.
func (s *Kit) Merged(site http.Handler) func(http.Handler) http.Handler {
	return func(next http.Handler) http.Handler {
		return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
			if r.Method != http.MethodPost || !strings.HasPrefix(r.Header.Get("Content-Type"), "application/x-www-form-urlencoded") {
				next.ServeHTTP(w, r)
				return
			}
			was, ok := readShown(r.PostFormValue(shownName))
			if !ok {
				next.ServeHTTP(w, r)
				return
			}
			sent := maps.Clone(r.PostForm)
			if before := s.sent.of(was.ID); before != nil {
				was.Values = before
			}
			for try := 1; ; try++ {
				answer, moved := s.mergedOnce(w, r, site, next, was)
				if answer == nil {
					return
				}
				if moved && try < mostMerges { // something was saved at the same moment: look again
					if laid, ok := readShown(r.PostFormValue(shownName)); ok && laid.Change > was.Change {
						was = laid
					}
					continue
				}
				maps.Copy(w.Header(), answer.Header())
				w.WriteHeader(answer.Code)
				w.Write(answer.Body.Bytes()) //nolint:errcheck // nobody is there any more
				if answer.Code < 400 {
					s.sent.keep(was.ID, sent)
				}
				return
			}
		})
	}
}

// mostMerges is how often a form is laid over what is saved at the same moment.
const mostMerges = 20

// mergedOnce lays a form over what has been saved since it was drawn and sends it on. No
// answer is returned where the form is answered already; moved says that something else was
// saved before it, and that nothing of it was.
func (s *Kit) mergedOnce(w http.ResponseWriter, r *http.Request, site, next http.Handler, was shown) (answer *httptest.ResponseRecorder, moved bool) {
	last, err := s.App.Models.LastChange(r.Context())
	if err != nil {
		s.Fail(w, r, err)
		return nil, false
	}
	if last > was.Change && !s.merge(w, r, site, was, last) {
		return nil, false
	}
	ctx, hasMoved := change.Unless(r.Context(), last)
	answer = httptest.NewRecorder()
	next.ServeHTTP(answer, r.WithContext(ctx))
	return answer, hasMoved()
}

// sentLately is what drawings of forms have sent, the latest few: a form that sends itself
// at each change may send twice before it is drawn again, and its own first change is
// nobody else's.
type sentLately struct {
	mu   sync.Mutex
	list []drawingSent
}

type drawingSent struct {
	id     string
	values url.Values
}

// mostSent is how many drawings are remembered.
const mostSent = 64

func (l *sentLately) of(id string) url.Values {
	l.mu.Lock()
	defer l.mu.Unlock()
	if at := slices.IndexFunc(l.list, func(d drawingSent) bool { return d.id == id }); at >= 0 {
		return l.list[at].values
	}
	return nil
}

func (l *sentLately) keep(id string, values url.Values) {
	l.mu.Lock()
	defer l.mu.Unlock()
	l.list = slices.DeleteFunc(l.list, func(d drawingSent) bool { return d.id == id })
	if l.list = append(l.list, drawingSent{id, values}); len(l.list) > mostSent {
		l.list = l.list[1:]
	}
}

// merge puts what was saved meanwhile into the fields that this form has not touched. It
// answers itself, and says so by false, when a field was changed on both sides.
func (s *Kit) merge(w http.ResponseWriter, r *http.Request, site http.Handler, was shown, last int64) bool {
	now, ok := formNow(site, r, was.From)
	if !ok {
		return true // the sheet is gone: the change itself says what is wrong
	}
	var clashes []string
	fields := map[string]bool{}
	for _, of := range []url.Values{was.Values, now.Values, r.PostForm} {
		for name := range of {
			fields[name] = !slices.Contains([]string{"act", "back", "sure", shownName}, name)
		}
	}
	for _, name := range slices.Sorted(maps.Keys(fields)) {
		if !fields[name] {
			continue
		}
		mine, base, theirs := r.PostForm[name], was.Values[name], now.Values[name]
		switch {
		case same(mine, base):
			delete(r.PostForm, name)
			if theirs != nil {
				r.PostForm[name] = theirs
			}
		case !same(theirs, base) && !same(theirs, mine):
			clashes = append(clashes, fmt.Sprintf("%s: “%s” was saved meanwhile; here stands “%s”.", cmp.Or(now.Labels[name], name), strings.Join(theirs, ", "), strings.Join(mine, ", ")))
		}
	}
	r.Form = nil // is read again from what is posted now
	r.PostForm.Set(shownName, shown{was.ID, last, was.From, now.Values}.String())
	if len(clashes) == 0 {
		return true
	}
	p := Page{Title: "One question", Theme: Theme(r), Now: s.App.Clock.Now(), D: map[string]any{"Clashes": clashes, "Action": r.URL.RequestURI(), "Again": againOf(r), "From": was.From}}
	block := "bare"
	if ByHTMX(r) {
		block = "clash"
	}
	s.Render(w, r, http.StatusUnprocessableEntity, "clash", block, p)
	return false
}

// same tells values from one another as a browser sends them.
func same(a, b []string) bool {
	return slices.EqualFunc(a, b, func(x, y string) bool {
		return strings.TrimSpace(strings.ReplaceAll(x, "\r\n", "\n")) == strings.TrimSpace(strings.ReplaceAll(y, "\r\n", "\n"))
	})
}

// formNow draws a form's sheet once more, for whoever has sent the form, and reads the form.
func formNow(site http.Handler, r *http.Request, from string) (f DrawnForm, ok bool) {
	at, err := url.Parse(from)
	if err != nil {
		return f, false
	}
	again := r.Clone(context.WithValue(r.Context(), chi.RouteCtxKey, (*chi.Context)(nil)))
	again.Method, again.Body, again.URL, again.RequestURI = http.MethodGet, http.NoBody, at, from
	again.Form, again.PostForm, again.ContentLength = nil, nil, 0
	for name := range again.Header {
		if strings.HasPrefix(name, "Hx-") || strings.HasPrefix(name, "Content-") {
			again.Header.Del(name)
		}
	}
	page := httptest.NewRecorder()
	site.ServeHTTP(page, again)
	for _, f := range DrawnForms(page.Body.Bytes()) {
		if action, err := url.Parse(f.Action); err == nil && f.kept && action.Path == r.URL.Path {
			return f, page.Code == http.StatusOK
		}
	}
	return f, false
}
