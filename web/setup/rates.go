package setup

import (
	"fmt"
	"io"
	"net/http"
	"slices"
	"strings"

	"sakuji/app/change"
	"sakuji/app/setup"
	"sakuji/core/finish"
	"sakuji/core/process"
	"sakuji/core/rates"
	"sakuji/core/route"
	"sakuji/studio"
	"sakuji/web/kit"
)

// loggedRow is what stamps say of a kind of stage.
type loggedRow struct {
	Process string
	Kind    route.StageKind
	finish.Logged
	Book, Used float64
}

// loggedRows are what the logbook says of hands, beside the book and what is reckoned with.
func loggedRows(h studio.Shop) (out []loggedRow) {
	for _, p := range append(process.Names(), "") {
		for _, kind := range route.All() {
			l, ok := h.History.Logged[p][kind]
			if !ok {
				continue
			}
			book := finish.SpreadOf(h.Book, kind.Traits().Spread).Mean
			out = append(out, loggedRow{p, kind, l, book, finish.EffortOf(h.Book, kind, l).Mean})
		}
	}
	return out
}

// wayRow is the studio’s finish route for a process and tier.
type wayRow struct{ Key, Label, Route string }

func (s *Room) rates(w http.ResponseWriter, r *http.Request) {
	h, err := s.App.Setup.Shop(r.Context())
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	type group struct {
		Name  string
		Rates []rates.Entry
	}
	var groups []group
	own := 0
	for _, e := range h.Book.Rates {
		at := slices.IndexFunc(groups, func(g group) bool { return g.Name == e.Group })
		if at < 0 {
			at = len(groups)
			groups = append(groups, group{Name: e.Group})
		}
		groups[at].Rates = append(groups[at].Rates, e)
		if e.Source == rates.Ours {
			own++
		}
	}
	var ways []wayRow
	for _, p := range process.Names() {
		for _, tier := range []string{route.Primed, route.Painted} {
			ways = append(ways, wayRow{p + " " + tier, p + ", " + route.TierName(tier), h.Studio.Defaults.FinishRoute(p, tier)})
		}
	}
	var codes []string
	for code, off := range h.Studio.Defaults.DiscountCodes {
		codes = append(codes, fmt.Sprintf("%s %s", code, rates.Number(off)))
	}
	slices.Sort(codes)
	s.Show(w, r, "rates", kit.Page{Title: "Rate book", Sheet: "Rate book", Active: "/rates", D: map[string]any{"Groups": groups, "Own": own, "All": len(h.Book.Rates), "Logged": loggedRows(h),
		"Defaults": ways, "FinishRoutes": finish.Routes(h.Book), "DiscountCodes": strings.Join(codes, "\n")},
		Block: kit.Block("Ours", fmt.Sprint(own)), Keys: kit.Keys("S", "save", "C", "check my rates", "H", "history", "F", "find")})
}

func (s *Room) saveRates(w http.ResponseWriter, r *http.Request) {
	book := rates.Starting()
	values, err := kit.DecodeNumbers(r, "r-", func(key rates.Key) string {
		if !book.Has(key) {
			return ""
		}
		return book.Get(key).Label
	})
	if err == nil {
		err = s.App.Setup.SaveRates(r.Context(), kit.Owner(r), values)
	}
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	s.Done(w, r, "/rates", "The rates are saved. Quotes already sent stay as they are.")
}

func (s *Room) rateHistory(w http.ResponseWriter, r *http.Request) {
	list, err := s.App.Setup.RateHistory(r.Context())
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	s.Show(w, r, "rate-history", kit.Page{Title: "History of the rates", Sheet: "Rate history", Active: "/rates", D: list, Block: kit.Block("Changes", fmt.Sprint(len(list))), Keys: kit.Keys("R", "the rate book", "F", "find")})
}

func (s *Room) checkRates(w http.ResponseWriter, r *http.Request) {
	list, h, err := s.App.Quotes.CheckRates(r.Context(), r.URL.Query()["order"]...)
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	var now, real int64
	under := 0
	for _, c := range list {
		now, real = now+c.Now, real+c.Real
		if c.Under() {
			under++
		}
	}
	off := 0.0
	if real > 0 {
		off = float64(now)/float64(real) - 1
	}
	s.Show(w, r, "rate-check", kit.Page{Title: "Check my rates", Sheet: "Check", Active: "/rates", D: map[string]any{"List": list, "H": h, "Now": now, "Real": real, "Off": off, "Under": under, "Logged": loggedRows(h)},
		Block: kit.Block("Orders", fmt.Sprint(len(list))), Keys: kit.Keys("R", "the rate book", "F", "find")})
}

func (s *Room) exportRates(w http.ResponseWriter, r *http.Request) {
	h, err := s.App.Setup.Shop(r.Context())
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	book := setup.Export(h)
	if strings.HasSuffix(r.URL.Path, ".csv") {
		kit.Write(w, "text/csv; charset=utf-8", "rate-book.csv", book.ExportCSV())
		return
	}
	kit.Write(w, "application/json", "rate-book.json", book.Export())
}

// mostRateBytes bounds a rate book that is taken in.
const mostRateBytes = 4 << 20

func (s *Room) importRates(w http.ResponseWriter, r *http.Request) {
	files, clean, err := kit.Uploads(w, r, "files")
	defer clean()
	if err == nil && len(files) != 1 {
		err = &change.Refusal{Text: "Choose one file: a rate book as JSON or CSV."}
	}
	n := 0
	if err == nil {
		var f io.ReadCloser
		if f, err = files[0].Open(); err == nil {
			defer f.Close()
			var data []byte
			if data, err = io.ReadAll(io.LimitReader(f, mostRateBytes+1)); err == nil && len(data) > mostRateBytes {
				err = &change.Refusal{Text: "That is too large for a rate book. Nothing was changed."}
			}
			if err == nil {
				n, err = s.App.Setup.ImportRates(r.Context(), kit.Owner(r), data)
			}
		}
	}
	s.ratesDone(w, r, err, fmt.Sprintf("%d rates were read; what differed is ours now. Quotes already sent stay as they are.", n))
}

func (s *Room) ratesDone(w http.ResponseWriter, r *http.Request, err error, told string) {
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	s.Done(w, r, "/rates", told)
}

func (s *Room) saveDefaults(w http.ResponseWriter, r *http.Request) {
	f, err := kit.Decode[struct {
		FinishRoutes map[string]string `form:"finish_routes"` // by process and tier, "resin primed"
		Codes        string            `form:"codes"`
	}](r)
	routes := studio.Defaults{FinishRoutes: map[string]string{}}
	for _, p := range process.Names() {
		for _, tier := range []string{route.Primed, route.Painted} {
			if key := f.FinishRoutes[p+" "+tier]; key != "" {
				routes.FinishRoutes[p+" "+tier] = key
			}
		}
	}
	if err == nil {
		err = s.App.Setup.SaveDefaults(r.Context(), kit.Owner(r), routes, f.Codes)
	}
	s.ratesDone(w, r, err, "Default routes and codes are saved.")
}
