package demo

import (
	"bytes"
	"math"
	"time"

	"sakuji/app/models"
	"sakuji/core/mesh"
	"sakuji/core/process"
	"sakuji/core/route"
	"sakuji/studio"
)

var (
	loomAgain = model{"cloud-loom-frame-2.stl", cloudLoomAgain, v(-106, -36, -1), v(106, 36, 176), 2.4}
	toad      = model{"garden-toad-scan.obj", mossToad, v(-34, -34, -1), v(34, 38, 44), 1.3}
	cup       = model{"acorn cup", acornCup, v(-17, -17, -1), v(24, 17, 24), 0.8}
	lid       = model{"acorn lid", acornLid, v(-18, -18, -1), v(18, 18, 17), 0.8}
	spoon     = model{"leaf spoon", leafSpoon, v(-8, -26, -1), v(8, 26, 8), 0.55}
)

// cloudLoomAgain is the frame as the opera sent it a second time: with a rail to carry
// it by.
func cloudLoomAgain() shape {
	return join(1.5, cloudLoom(), path(3.4, 3.4, v(-70, 0, 58), v(-30, -24, 66), v(30, -24, 66), v(70, 0, 58)))
}

// mossToad sits and looks up.
func mossToad() shape {
	body := join(7, egg(v(0, 6, 15), v(25, 24, 16)), egg(v(0, -14, 24), v(19, 14, 12)))
	eyes := mirrored(join(1, ball(v(10, -14, 34), 5.4), ball(v(11.5, -17, 35), 2.8)))
	hind := mirrored(join(3, egg(v(24, 12, 9), v(9, 15, 9)), limb(v(26, 2, 4), v(28, -14, 2.4), 4, 2.6)))
	front := mirrored(join(2, limb(v(15, -14, 14), v(20, -22, 3), 4.6, 3), limb(v(20, -22, 2.6), v(23, -29, 2), 2.4, 1.6)))
	var warts []shape
	for i := range 15 {
		a := float64(i) * 2.4
		r := 4 + 4.2*math.Sqrt(float64(i))
		x, y := r*math.Cos(a), 8+r*math.Sin(a)*0.9
		z := 15 + 16*math.Sqrt(math.Max(0, 1-x*x/625-(y-6)*(y-6)/576))
		warts = append(warts, ball(v(x, y, z), 1.4+0.5*float64(i%3)))
	}
	return orientation(join(1.2, join(3, body, hind, front), eyes, join(0.8, warts...)))
}

// acornCup is a cup with a twig for a handle.
func acornCup() shape {
	bowl := cut(egg(v(0, 0, 14), v(15, 15, 15)), egg(v(0, 0, 15.5), v(12.6, 12.6, 13)), block(v(0, 0, 34), v(30, 30, 12), 0.5))
	return orientation(join(1, bowl, drum(v(0, 0, 0), 7, 2.4), path(1.8, 1.5, v(14, 0, 17), v(21, 0, 15), v(20, 0, 8), v(13, 0, 6))))
}

// acornLid is the acorn's own cap, scaled like one, with its stalk.
func acornLid() shape {
	dome := cut(egg(v(0, 0, 1), v(16.5, 16.5, 11)), egg(v(0, 0, -0.5), v(13.6, 13.6, 8.4)))
	scales := func(p mesh.Vec) float64 {
		a := math.Atan2(p.Y, p.X)
		return dome(p) - 0.45*math.Sin(9*a+p.Z*1.1)*math.Sin(9*a-p.Z*1.1)
	}
	return orientation(join(1, scales, path(1.9, 1.5, v(0, 0, 11), v(1, 0, 13.5), v(2.6, 0, 15))))
}

// leafSpoon is an oak leaf with a hollow.
func leafSpoon() shape {
	leaf := cut(egg(v(0, -16, 3), v(6.4, 9, 2.8)), egg(v(0, -16, 5), v(5, 7.4, 3)))
	return orientation(join(0.8, leaf, path(1.5, 1.1, v(0, -8, 3), v(0, 8, 4), v(0, 23, 2.4)), ball(v(0, 24, 2.6), 1.8)))
}

// scan is the toad as a telephone sees it: in metres, with its underside missing,
// facets turned, dirt in the air and a stone that the eye did not see.
func scan() []byte {
	s := carve(toad.shape(), toad.low, toad.high, toad.cell)
	var flat []float32
	put := func(k float64, turn bool, corners ...mesh.Vec) {
		if turn {
			corners[1], corners[2] = corners[2], corners[1]
		}
		for _, c := range corners {
			c = c.Mul(k)
			flat = append(flat, float32(c.X), float32(c.Y), float32(c.Z))
		}
	}
	const metres = 0.001
	for i := range s.Len() {
		a, b, c := s.Triangle(i)
		hidden := math.Max(a.Z, math.Max(b.Z, c.Z)) < 0.8 && math.Hypot(a.X, a.Y-4) < 17
		missed := math.Hypot(math.Hypot(a.X-21, a.Y-14), a.Z-14) < 4
		if !hidden && !missed {
			put(metres, math.Hypot(math.Hypot(a.X+12, a.Y+6), a.Z-30) < 3, a, b, c)
		}
	}
	stone := carve(ball(v(0, 6, 15), 5), v(-6, 0, 9), v(6, 12, 21), 1)
	for i := range stone.Len() {
		a, b, c := stone.Triangle(i)
		put(metres, false, a, b, c)
	}
	for _, at := range []mesh.Vec{v(29, -30, 40), v(-30, 30, 38), v(31, 33, 41)} {
		put(metres, false, at, at.Add(v(0.5, 0, 0)), at.Add(v(0, 0.5, 0)))
		put(metres, false, at, at.Add(v(0, 0.5, 0)), at.Add(v(0, 0, 0.5)))
		put(metres, false, at, at.Add(v(0, 0, 0.5)), at.Add(v(0.5, 0, 0)))
		put(metres, false, at.Add(v(0.5, 0, 0)), at.Add(v(0, 0, 0.5)), at.Add(v(0, 0.5, 0)))
	}
	var b bytes.Buffer
	if err := mesh.WriteOBJ(&b, mesh.SoupOf("obj", flat)); err != nil {
		panic(err) // into memory
	}
	return b.Bytes()
}

// teaSet is a kit in one file: three bodies that have names.
func teaSet() []byte {
	var b bytes.Buffer
	var objects []mesh.Object
	for i, m := range []model{cup, lid, spoon} {
		objects = append(objects, mesh.Object{Name: m.file, Soup: carve(m.shape(), m.low, m.high, m.cell), Places: []mesh.Place{{Shift: v(float64(i)*44, 0, 0)}}})
	}
	if err := mesh.Write3MF(&b, objects); err != nil {
		panic(err) // into memory
	}
	return b.Bytes()
}

// permissions are what two clients have said yes to.
func (l *life) permissions() error {
	clients, err := l.App.Orders.Clients(l.ctx)
	if err != nil {
		return err
	}
	for _, c := range clients {
		switch c.Name {
		case museum:
			c.MayShow, c.MayShare = true, true
		case guild:
			c.MayShow = true
		default:
			continue
		}
		if _, err := l.App.Orders.SaveClient(l.ctx, l.ilse, c); err != nil {
			return err
		}
	}
	return nil
}

// licences notes what is known of the designs' sources.
func (l *life) licences() error {
	list, err := l.App.Models.Shelf(l.ctx, "")
	if err != nil {
		return err
	}
	until := day(time.August, 31, 23, 59)
	notes := map[string]models.LicenceForm{
		"Heron postmaster":     {Licence: studio.LicenceOwn, Source: "Ilse’s sculpt", Rights: "The Postmaster is the opera’s own figure; Tamsin Rook said yes."},
		"Letter satchel":       {Licence: studio.LicenceOwn, Source: "Ilse’s sculpt"},
		"Seed pod lantern":     {Licence: studio.LicenceOwn, Source: "Maren’s sculpt after pods from the museum"},
		"Frost gardener torso": {Licence: studio.LicenceClient, Source: "the opera’s designer"},
		"Frost gardener arms":  {Licence: studio.LicenceClient, Source: "the opera’s designer"},
		"Cloud loom frame":     {Licence: studio.LicenceClient, Source: "the opera’s designer"},
		"Snail courier":        {Licence: studio.LicencePerCopy, Fee: "0.60", Source: "the guild’s pattern drawer", Terms: "Prints may be sold, one fee for each; the file stays here."},
		"Mushroom kiosk":       {Licence: studio.LicencePerCopy, Fee: "2.50", Source: "the guild’s pattern drawer"},
		"Orrery moth":          {Licence: studio.LicenceSubscription, Fee: "8.00", Until: until, Source: "a night-gardeners’ model circle", Terms: "Prints may be sold while the subscription runs."},
		"Orrery gear":          {Licence: studio.LicenceSubscription, Fee: "8.00", Until: until, Source: "a night-gardeners’ model circle"},
		"Acorn tea set":        {Licence: studio.LicencePersonal, Source: "a free download, Corin Halloway’s link", Terms: "For one’s own table only."},
	}
	for _, s := range list {
		if f, ok := notes[s.Name]; ok {
			f.Got = s.Got
			if err := l.App.Models.SaveLicence(l.ctx, l.ilse, s.ModelID, f); err != nil {
				return err
			}
		}
	}
	return nil
}

// post is what came on the last evening: a scan, a kit from the net, and the loom's
// frame once more.
func (l *life) post() error {
	take := func(c commission, title, file string, data []byte, tier string) error {
		if err := l.takeIn(c); err != nil {
			return err
		}
		l.files[file] = data
		return l.addLine(l.orders[c.nick], line{title, []model{{file: file}}, tier, 1, 1, "resin"})
	}
	if err := take(commission{nick: "toad", client: "Odile Brackwater", title: "The toad under our weir", use: "shelf", budget: "180", note: "Scanned with a telephone, it would not sit still."},
		"Garden toad", toad.file, l.files[toad.file], route.Primed); err != nil {
		return err
	}
	if err := take(commission{nick: "acorns", client: "Corin Halloway", title: "Acorn tea set", use: "table", wanted: day(time.June, 20, 0, 0)},
		"Acorn tea set", "acorn-tea-set.3mf", l.files["acorn-tea-set.3mf"], route.Painted); err != nil {
		return err
	}
	s, err := l.App.Quotes.OrderSheet(l.ctx, l.orders["loom"])
	if err != nil {
		return err
	}
	kept, err := l.App.Models.Keep(loomAgain.file, bytes.NewReader(l.files[loomAgain.file]))
	if err != nil {
		return err
	}
	batch, err := l.App.Models.Revise(l.ctx, l.ilse, s.Items[0].Parts[0].ModelID, kept)
	if err != nil {
		return err
	}
	if _, err := l.App.Jobs.Await(l.ctx, batch, time.Minute); err != nil {
		return err
	}
	if err := l.permissions(); err != nil {
		return err
	}
	if err := l.licences(); err != nil {
		return err
	}
	// Asked for in the evening, worked out when the program runs: how the bust may stand,
	// and what it is when hollow.
	heron, err := l.App.Quotes.OrderSheet(l.ctx, l.orders["heron"])
	if err != nil {
		return err
	}
	bust := heron.Items[0].Parts[0].ModelID
	if _, err := l.App.Models.Remake(l.ctx, l.ilse, bust, studio.JobOrient,
		studio.JobOptions{Process: process.Resin, Wishes: process.Of(process.Resin).Wishes}); err != nil {
		return err
	}
	_, err = l.App.Models.Remake(l.ctx, l.ilse, bust, studio.JobHollow, studio.JobOptions{WallMM: 2, Holes: 2, HoleMM: 4, Seen: "front"})
	return err
}
