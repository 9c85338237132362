package demo

import (
	"bytes"
	"fmt"
	"image/color"
	"io"
	"math"
	"slices"
	"strings"
	"time"

	"sakuji/app/models"
	"sakuji/app/money"
	"sakuji/app/orders"
	"sakuji/app/pieces"
	"sakuji/app/quotes"
	"sakuji/core/finish"
	"sakuji/core/quote"
	"sakuji/core/route"
	"sakuji/studio"
)

// line is an item of an order as the script has it.
type line struct {
	title  string
	models []model
	tier   string
	copies int
	scale  float64
	proc   string // empty: as the studio proposes
}

// counted is what the script counts on one copy, by what it is called.
var counted = map[string]finish.Features{
	"Heron Postmaster, bust": {Eyes: 2, Faces: 1, Small: 5},
	"Letter satchel":         {Small: 4, Letters: 6},
	"Snail courier":          {Eyes: 2},
	"Beekeeper snail":        {Eyes: 2, Small: 3},
	"Mushroom kiosk":         {Letters: 8, Small: 6},
}

// beside is what the script asks for an item beside its prints.
var beside = map[string][]quote.Extra{
	"Relay lantern": {
		{Kind: quote.BoughtIn, What: "warm light with its cell", Each: 7.5, Hours: 0.5, Inside: true},
		{Kind: quote.Base, What: "moss ground", Hours: 1.5, Ground: quote.Flocked},
		{Kind: quote.SoftGoods, What: "carrying strap of waxed cloth", Hours: 1},
		{Kind: quote.Trial, What: "old copper", Over: "fine sand", Hours: 0.5},
	},
	"Newt herald":   {{Kind: quote.Sculpt, What: "Newt herald", Hours: 6, Revisions: 1}},
	"Frog doorstop": {{Kind: quote.Restore, What: "Frog doorstop", Hours: 3, Odds: 0.3, WorseHours: 2, StopAt: 150}},
	"Moth seal":     {{Kind: quote.Other, What: "proof pulls in wax", Hours: 0.5}},
}

// castings are the items that are cast from one print, by what they are called.
var castings = map[string]bool{"Moth seal": true}

// commission is an order as the script has it.
type commission struct {
	nick, client, title, use string
	wanted                   time.Time
	stale                    time.Time // of no use after; zero: never
	budget                   string
	note                     string
	items                    []line
	colours                  [][2]string
	ask                      string
}

func (l *life) takeIn(c commission) error {
	clients, err := l.App.Orders.Clients(l.ctx)
	if err != nil {
		return err
	}
	f := orders.OrderForm{Title: c.title, Use: c.use, Budget: c.budget, Note: c.note, NewClient: c.client}
	for _, cl := range clients {
		if cl.Name == c.client {
			f.ClientID, f.NewClient = cl.ID, ""
		}
	}
	if !c.wanted.IsZero() {
		f.Wanted = c.wanted.Format(time.DateOnly)
	}
	if !c.stale.IsZero() {
		f.Stale = c.stale.Format(time.DateOnly)
	}
	o, err := l.App.Orders.NewOrder(l.ctx, l.ilse, f)
	if err != nil {
		return err
	}
	l.orders[c.nick] = o.Number
	for _, ln := range c.items {
		if err := l.addLine(o.Number, ln); err != nil {
			return err
		}
	}
	for _, col := range c.colours {
		if err := l.settled(o.Number, studio.Colour, col[0], col[1]); err != nil {
			return err
		}
	}
	if c.ask != "" {
		return l.App.Orders.AddPoint(l.ctx, l.ilse, o.Number, studio.Question, c.ask)
	}
	return nil
}

func (l *life) settled(number, kind, text, answer string) error {
	if err := l.App.Orders.AddPoint(l.ctx, l.ilse, number, kind, text); err != nil {
		return err
	}
	s, err := l.App.Quotes.OrderSheet(l.ctx, number)
	if err != nil {
		return err
	}
	return l.App.Orders.SettlePoint(l.ctx, l.ilse, number, s.Points[len(s.Points)-1].ID, answer)
}

// addLine puts an item on an order with all that the script asks for it.
func (l *life) addLine(number string, ln line) error {
	if len(ln.models) == 0 {
		if err := l.App.Orders.AddPlainItem(l.ctx, l.ilse, number, ln.title); err != nil {
			return err
		}
	} else if err := l.addPrints(number, ln); err != nil {
		return err
	}
	s, err := l.App.Quotes.OrderSheet(l.ctx, number)
	if err != nil {
		return err
	}
	for _, e := range beside[ln.title] {
		if err := l.App.Orders.AddExtra(l.ctx, l.ilse, number, s.Items[len(s.Items)-1].ID, e); err != nil {
			return err
		}
	}
	return nil
}

func (l *life) addPrints(number string, ln line) error {
	var uploads []models.Upload
	for _, m := range ln.models {
		uploads = append(uploads, upload(m.file, l.files[m.file]))
	}
	items, problems, err := l.App.Orders.AddItem(l.ctx, l.ilse, number, uploads, false)
	if err != nil || len(problems) > 0 {
		return fmt.Errorf("%s: %v %w", ln.title, problems, err)
	}
	it := items[0]
	making := studio.ItemOptions{Features: counted[ln.title], Cast: castings[ln.title]}
	form := orders.ItemForm{Title: ln.title, Tier: ln.tier, Copies: ln.copies, Scale: ln.scale, Parts: map[int64]orders.PartForm{}, Making: &making}
	for _, p := range it.Parts {
		pf := orders.PartForm{Process: p.Process, MaterialID: p.MaterialID, WallMM: p.WallMM, Copies: p.Copies}
		if ln.proc != "" && ln.proc != p.Process {
			pf = orders.PartForm{Process: ln.proc, Copies: p.Copies}
		}
		form.Parts[p.ID] = pf
	}
	return l.App.Orders.ChangeItem(l.ctx, l.ilse, number, it.ID, form)
}

func upload(name string, data []byte) models.Upload {
	return models.Upload{Name: name, Open: func() (io.ReadCloser, error) { return io.NopCloser(bytes.NewReader(data)), nil }}
}

// agreed sends the quote and lets the client accept and pay some hours later.
func (l *life) agreed(nick, by string, after time.Duration, pays bool) error {
	number := l.orders[nick]
	q, err := l.App.Quotes.SendQuote(l.ctx, l.ilse, number, "")
	if err != nil {
		return err
	}
	if err := l.until(l.clock.Now().Add(after)); err != nil {
		return err
	}
	if err := l.App.Quotes.AnswerQuote(l.ctx, q.Token, quotes.Answer{Accept: true, Name: by, Agreed: true, From: "203.0.113.20"}); err != nil {
		return err
	}
	if !pays {
		return nil
	}
	if err := l.App.Quotes.SeeAnswer(l.ctx, l.ilse, number); err != nil {
		return err
	}
	return l.App.Money.NotePayment(l.ctx, l.ilse, number, money.PaymentForm{Kind: studio.PaidDeposit, Amount: q.Deposit().Plain()})
}

const (
	opera  = "Small Hours Puppet Opera"
	museum = "Verdance Row Seed Museum"
	guild  = "Moth Post Guild"
)

func (l *life) april() error {
	if err := l.until(day(time.April, 20, 9, 30)); err != nil {
		return err
	}
	if err := l.writeDown(); err != nil {
		return err
	}
	if err := l.takeIn(commission{nick: "first lanterns", client: museum, title: "Four seed-pod lanterns, trial", use: "shelf", wanted: day(time.April, 30, 0, 0),
		items: []line{{"Seed-pod lantern", []model{lantern}, route.Primed, 4, 1, ""}}}); err != nil {
		return err
	}
	if err := l.agreed("first lanterns", "P. Quill", 5*time.Hour, true); err != nil {
		return err
	}
	if err := l.takeIn(commission{nick: "old heron", client: opera, title: "Heron Postmaster, rehearsal bust", use: "stage", wanted: day(time.May, 6, 0, 0),
		items: []line{{"Heron Postmaster, bust", []model{heron}, route.Painted, 1, 1, ""}}, colours: [][2]string{{"Coat", "post-office blue, worn at the cuffs"}}}); err != nil {
		return err
	}
	if err := l.agreed("old heron", "Tamsin Rook, props", 22*time.Hour, true); err != nil {
		return err
	}
	if err := l.scheme("old heron", "Tamsin Rook, props"); err != nil {
		return err
	}
	if err := l.takeIn(commission{nick: "big loom", client: opera, title: "Cloud Loom at double size", use: "stage", note: "Only if it can be carried by one person.",
		items: []line{{"Cloud Loom, frame", []model{loom}, route.Painted, 1, 1.4, "filament"}}}); err != nil {
		return err
	}
	q, err := l.App.Quotes.SendQuote(l.ctx, l.ilse, l.orders["big loom"], "")
	if err != nil {
		return err
	}
	if err := l.until(day(time.April, 24, 11, 0)); err != nil {
		return err
	}
	if err := l.App.Quotes.AnswerQuote(l.ctx, q.Token, quotes.Answer{Name: "Tamsin Rook, props", From: "203.0.113.20"}); err != nil {
		return err
	}
	if err := l.App.Quotes.SeeAnswer(l.ctx, l.ilse, l.orders["big loom"]); err != nil {
		return err
	}
	return l.until(day(time.April, 27, 9, 30))
}

func (l *life) may() error {
	type step struct {
		at   time.Time
		c    commission
		by   string
		wait time.Duration
	}
	steps := []step{
		{day(time.May, 8, 10, 0), commission{nick: "gardener", client: opera, title: "Frost Gardener", use: "stage", wanted: day(time.May, 22, 0, 0), note: "Seen from the third row: smooth enough is enough.",
			items: []line{{"Frost Gardener", []model{torso, arms}, route.Primed, 1, 1.4, "filament"}}}, "Tamsin Rook, props", 3 * time.Hour},
		{day(time.April, 30, 9, 0), commission{nick: "snails", client: guild, title: "Twenty-four snail couriers", use: "gaming", wanted: day(time.May, 19, 0, 0), budget: "2200", note: "One set, one scheme: shells in four colours, six of each.",
			items: []line{{"Snail courier", []model{snail}, route.Painted, 24, 0.86, "resin"}}, colours: [][2]string{{"Shells", "moss, plum, brass and slate, six of each"}, {"Bags", "waxed brown"}}}, "Bram Ellery, board", 150 * time.Minute},
		{day(time.May, 13, 9, 10), commission{nick: "kiosks", client: guild, title: "Mushroom kiosks", use: "gaming", wanted: day(time.June, 2, 0, 0),
			items: []line{{"Mushroom kiosk", []model{kiosk}, route.Painted, 3, 1.4, "filament"}}, ask: "Shall the signs carry lettering, or stay blank for dry-wipe prices?"}, "Bram Ellery, board", 150 * time.Minute},
		{day(time.May, 7, 12, 30), commission{nick: "orrery", client: "Odile Brackwater", title: "Moth-wing orrery", use: "shelf", wanted: day(time.May, 14, 0, 0), stale: day(time.May, 16, 0, 0), budget: "850", note: "A wedding present.",
			items: []line{{"Orrery moth", []model{moth}, route.Painted, 3, 1, "resin"}, {"Orrery gear", []model{gear}, route.Painted, 4, 1, "resin"}}, colours: [][2]string{{"Gears", "old brass, darker in the gaps"}}}, "Odile Brackwater", 26 * time.Hour},
		{day(time.May, 9, 10, 0), commission{nick: "seals", client: guild, title: "Moth seals, cast", use: "gaming", wanted: day(time.May, 27, 0, 0), note: "For sealing letters in the game: all alike, no paint.",
			items: []line{{"Moth seal", []model{moth}, route.Primed, 6, 0.7, "resin"}}}, "Bram Ellery, board", 2 * time.Hour},
		{day(time.May, 12, 14, 0), commission{nick: "relay", client: museum, title: "Relay lantern, lit, and its herald", use: "shelf", wanted: day(time.May, 26, 0, 0),
			items: []line{{"Relay lantern", []model{lantern, gear}, route.Painted, 1, 1, "resin"}, {"Newt herald", nil, route.Raw, 1, 1, ""}}, colours: [][2]string{{"Collar", "old copper, green in the gaps"}}}, "P. Quill", 70 * time.Minute},
		{day(time.May, 12, 9, 15), commission{nick: "doorstop", client: "Odile Brackwater", title: "Frog doorstop, to restore; a gear to print at home", use: "shelf", wanted: day(time.May, 30, 0, 0),
			items: []line{{"Frog doorstop", nil, route.Raw, 1, 1, ""}, {"Orrery gear, for a school press", []model{gear}, route.FileOnly, 1, 1, ""}}}, "Odile Brackwater", 3 * time.Hour},
		{day(time.May, 13, 13, 0), commission{nick: "lanterns", client: museum, title: "Eight seed-pod lanterns", use: "shelf", wanted: day(time.May, 29, 0, 0),
			items: []line{{"Seed-pod lantern", []model{lantern}, route.Primed, 8, 1, "resin"}}}, "P. Quill", time.Hour},
	}
	slices.SortFunc(steps, func(a, b step) int { return a.at.Compare(b.at) })
	for _, s := range steps {
		if err := l.until(s.at); err != nil {
			return err
		}
		if err := l.takeIn(s.c); err != nil {
			return err
		}
		if err := l.agreed(s.c.nick, s.by, s.wait, true); err != nil {
			return err
		}
		if err := l.scheme(s.c.nick, s.by); err != nil {
			return err
		}
	}
	return l.until(day(time.May, 13, 16, 10))
}

// lastNight is the day and the night before the demo's morning.
func (l *life) lastNight() error {
	if err := l.takeIn(commission{nick: "heron", client: opera, title: "Heron Postmaster with satchel", use: "stage", wanted: day(time.May, 28, 0, 0), budget: "500",
		items:   []line{{"Heron Postmaster, bust", []model{heron}, route.Painted, 1, 1, ""}, {"Letter satchel", []model{satchel}, route.Painted, 2, 1, "resin"}},
		colours: [][2]string{{"Coat", "post-office blue, clean this time"}}, ask: "Which blue for the coat lining? Two reference pictures disagree."}); err != nil {
		return err
	}
	if err := l.pictures("heron"); err != nil {
		return err
	}
	if err := l.scheme("heron", ""); err != nil {
		return err
	}
	qh, err := l.App.Quotes.SendQuote(l.ctx, l.ilse, l.orders["heron"], "")
	if err != nil {
		return err
	}
	if err := l.takeIn(commission{nick: "loom", client: opera, title: "Cloud Loom prop", use: "stage", wanted: day(time.June, 12, 0, 0),
		items: []line{{"Cloud Loom, frame", []model{loom}, route.Painted, 1, 1, "filament"}}}); err != nil {
		return err
	}
	if err := l.alternatives("loom"); err != nil {
		return err
	}
	ql, err := l.App.Quotes.SendQuote(l.ctx, l.ilse, l.orders["loom"], "")
	if err != nil {
		return err
	}
	if err := l.until(day(time.May, 13, 17, 10)); err != nil {
		return err
	}
	if err := l.takeIn(commission{nick: "bees", client: "Corin Halloway", title: "A beekeeper snail for a cake", use: "table", wanted: day(time.June, 20, 0, 0), budget: "90",
		items: []line{{"Beekeeper snail", []model{snail}, route.Painted, 1, 1.6, "resin"}}}); err != nil {
		return err
	}
	if err := l.letterBox(); err != nil {
		return err
	}
	if err := l.post(); err != nil {
		return err
	}
	if err := l.tidied(); err != nil {
		return err
	}
	if err := l.planned(); err != nil {
		return err
	}
	if err := l.until(day(time.May, 13, 21, 42)); err != nil {
		return err
	}
	if err := l.App.Quotes.AnswerQuote(l.ctx, qh.Token, quotes.Answer{Accept: true, Name: "Tamsin Rook, props", Agreed: true, From: "203.0.113.20"}); err != nil {
		return err
	}
	if err := l.until(day(time.May, 13, 22, 15)); err != nil {
		return err
	}
	if err := l.App.Quotes.AskAboutQuote(l.ctx, ql.Token, "Can the frame come apart for the van? It must pass a door of 70 cm."); err != nil {
		return err
	}
	return l.untilMorning()
}

// tidied is the end of the day at the bench: everything is put where it lies over night, and the air is noted.
func (l *life) tidied() error {
	var codes []string
	for _, p := range []studio.Place{{Name: "shelf A, by the wash", Kind: "shelf"}, {Name: "shelf C, by the window", Kind: "shelf"}, {Name: "drying line", Kind: "line"}, {Name: "box of the orrery", Kind: "box"}} {
		made, err := l.App.Pieces.AddPlace(l.ctx, l.ilse, p)
		if err != nil {
			return err
		}
		codes = append(codes, made.Code)
	}
	s, err := l.App.Pieces.Bench(l.ctx, pieces.BenchAll, "")
	if err != nil {
		return err
	}
	for k, r := range s.Rows {
		if r.State != studio.AtBench {
			continue
		}
		at := codes[k%2]
		switch {
		case strings.HasPrefix(r.Name, "Orrery"):
			at = codes[3]
		case r.Wait:
			at = codes[2]
		}
		if err := l.App.Pieces.Put(l.ctx, l.ilse, r.Code, at); err != nil {
			return err
		}
	}
	_, _, err = l.App.Pieces.NoteAir(l.ctx, l.ilse, studio.AirReading{Reading: finish.Reading{C: 20, HumidityPercent: 58}})
	if err := l.photographed("0408-6", "0408-7", "0407-3"); err != nil {
		return err
	}
	return err
}

// planned is the evening’s look at the plan: who is away is noted, and the plan agreed on. What the night
// brings is then a change.
func (l *life) planned() error {
	h, err := l.App.Setup.Shop(l.ctx)
	if err != nil {
		return err
	}
	beck := h.Machines[slices.IndexFunc(h.Machines, func(m studio.Machine) bool { return m.Name == "Beck" })]
	for _, a := range []studio.Absence{
		{PersonID: l.maren.ID, From: day(time.May, 21, 0, 0), To: day(time.May, 22, 0, 0), Why: "paper fair"},
		{MachineID: beck.ID, From: day(time.May, 18, 9, 0), To: day(time.May, 18, 12, 0), Why: "new film"},
	} {
		if err := l.App.Plan.AddAbsence(l.ctx, l.ilse, a); err != nil {
			return err
		}
	}
	if err := l.App.Plan.SayWeather(l.ctx, l.ilse, day(time.May, 16, 0, 0), "", ""); err != nil {
		return err
	}
	return l.App.Plan.Agree(l.ctx, l.ilse, time.Minute)
}

// alternatives sets other ways to make an order beside it, with an option and its freight.
func (l *life) alternatives(nick string) error {
	no := l.orders[nick]
	if err := l.addLine(no, line{"Moth finial, for the top rail", []model{moth}, route.Painted, 2, 1, "resin"}); err != nil {
		return err
	}
	s, err := l.App.Quotes.OrderSheet(l.ctx, no)
	if err != nil {
		return err
	}
	frame, finial := s.Items[0], s.Items[1]
	making := finial.ItemOptions
	making.Option = true
	form := orders.ItemForm{Title: finial.Title, Tier: finial.Tier, Copies: finial.Copies, Scale: finial.Scale, Making: &making}
	if err := l.App.Orders.ChangeItem(l.ctx, l.ilse, no, finial.ID, form); err != nil {
		return err
	}
	making = frame.ItemOptions
	making.Features.MaskMM, making.Features.RaisedMM, making.Features.Colours, making.Features.Weather = 400, 900, 4, true
	form = orders.ItemForm{Title: frame.Title, Tier: frame.Tier, Copies: frame.Copies, Scale: frame.Scale, Making: &making}
	if err := l.App.Orders.ChangeItem(l.ctx, l.ilse, no, frame.ID, form); err != nil {
		return err
	}
	for _, e := range []quote.Extra{
		{Kind: quote.BoughtIn, What: "warp cord, waxed", Each: 6.5, Count: 30, Pack: 25},
		{Kind: quote.Freight, What: "by cart to the stage door", Each: 18},
	} {
		if err := l.App.Orders.AddExtra(l.ctx, l.ilse, no, frame.ID, e); err != nil {
			return err
		}
	}
	for _, v := range []studio.Variant{
		{Name: "Raw kit, for your own painters", Tier: route.Raw, Offered: true},
		{Name: "Smoothed and primed", Tier: route.Primed, Offered: true},
		{Name: "Printed in three", CutInto: 3},
	} {
		if err := l.App.Quotes.SaveVariant(l.ctx, l.ilse, no, v); err != nil {
			return err
		}
	}
	return nil
}

// letterBox is an enquiry without a model: an old piece to restore.
func (l *life) letterBox() error {
	if err := l.takeIn(commission{nick: "letter box", client: "Odile Brackwater", title: "Old letter box from the weir, to restore", use: "shelf", budget: "400"}); err != nil {
		return err
	}
	no := l.orders["letter box"]
	if err := l.App.Orders.AddPlainItem(l.ctx, l.ilse, no, "Restore the letter box"); err != nil {
		return err
	}
	s, err := l.App.Quotes.OrderSheet(l.ctx, no)
	if err != nil {
		return err
	}
	return l.App.Orders.AddExtra(l.ctx, l.ilse, no, s.Items[0].ID, quote.Extra{Kind: quote.Restore, What: "strip, mend the hinge, repaint", Hours: 5, Odds: 0.35, WorseHours: 4, StopAt: 380})
}

// pictures adds two painted swatches as reference pictures, made here.
func (l *life) pictures(nick string) error {
	swatch := func(base color.RGBA) []byte {
		return pictureOf(160, 120, func(x, y float64) color.RGBA {
			shade := 0.82 + 0.18*math.Sin(x/9+2*math.Sin(y/17))
			return color.RGBA{uint8(float64(base.R) * shade), uint8(float64(base.G) * shade), uint8(float64(base.B) * shade), 255}
		})
	}
	_, _, err := l.App.Orders.AddPictures(l.ctx, l.ilse, l.orders[nick], []models.Upload{
		upload("lining-a.png", swatch(color.RGBA{52, 84, 132, 255})), upload("lining-b.png", swatch(color.RGBA{38, 98, 110, 255}))})
	return err
}
