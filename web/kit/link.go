package kit

import (
	"fmt"
	"net/http"
	"strconv"
	"strings"

	"sakuji/app/change"
	"sakuji/device"
	"sakuji/studio"
	"sakuji/web/papers"
)

// ClientLink is where a client opens a quote: under the studio's public address,
// or the one that is spoken to now. The demo's public address leads nowhere.
func (s *Kit) ClientLink(r *http.Request, q studio.Quote) string { return s.Base(r) + "/q/" + q.Token }

// Base is under what address the studio is reached from elsewhere.
func (s *Kit) Base(r *http.Request) string {
	base := "http://" + r.Host
	if r.TLS != nil || s.Opts.BehindTLS {
		base = "https://" + r.Host
	}
	if h, err := s.App.Setup.Shop(r.Context()); err == nil && h.Studio.PublicURL != "" && s.Opts.Demo == nil {
		base = h.Studio.PublicURL
	}
	return base
}

// SendPDF answers with a paper.
func (s *Kit) SendPDF(w http.ResponseWriter, r *http.Request, p *papers.Paper, name string) {
	data, err := p.PDF()
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	Write(w, "application/pdf", name, data)
}

// SendLabels answers with labels to cut apart. Asked by POST, it sends them to the label printer, one after the other.
func (s *Kit) SendLabels(w http.ResponseWriter, r *http.Request, labels []papers.Label, name string) {
	h, err := s.App.Setup.Shop(r.Context())
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	for k := range labels {
		labels[k].Scan = h.Studio.ScanOf(labels[k].Code)
	}
	if r.Method == http.MethodPost {
		s.Ended(w, r, s.print(r, h.Studio.Defaults.Labels, labels), Back(r, "/bench"), studio.UpperFirst(studio.Say(len(labels), "label"))+" printed.")
		return
	}
	paper := papers.New(h.Studio, "Labels", "", s.App.Clock.Now()).Blank()
	paper.Labels(labels)
	s.SendPDF(w, r, paper, name)
}

// print sends labels to the label printer.
func (s *Kit) print(r *http.Request, link string, labels []papers.Label) error {
	if link == "" {
		return change.Refuse("No label printer is set up. Nothing was printed.")
	}
	for k, l := range labels {
		page, err := l.Page()
		if err != nil {
			return err
		}
		if err := device.PrintLabel(r.Context(), link, page); err != nil {
			return change.Refuse("%s. %s printed.", studio.UpperFirst(err.Error()), map[bool]string{true: "Nothing was", false: studio.Say(k, "label") + " of them are"}[k == 0])
		}
	}
	return nil
}

// Disposition names a file for saving, also one with letters beyond ASCII (RFC 6266).
func Disposition(how, name string) string {
	ascii := strings.Map(func(r rune) rune {
		if r < ' ' || r > '~' || r == '"' || r == '\\' {
			return '_'
		}
		return r
	}, name)
	return fmt.Sprintf(`%s; filename="%s"; filename*=UTF-8''%s`, how, ascii, percent(name))
}

func percent(name string) string {
	var b strings.Builder
	for _, c := range []byte(name) {
		if c >= 'a' && c <= 'z' || c >= 'A' && c <= 'Z' || c >= '0' && c <= '9' || c == '.' || c == '-' || c == '_' {
			b.WriteByte(c)
		} else {
			fmt.Fprintf(&b, "%%%02X", c)
		}
	}
	return b.String()
}

func Write(w http.ResponseWriter, kind, name string, data []byte) {
	w.Header().Set("Content-Type", kind)
	w.Header().Set("Content-Disposition", Disposition("inline", name))
	w.Header().Set("Content-Length", strconv.Itoa(len(data)))
	w.Write(data) //nolint:errcheck // the reader has gone
}
