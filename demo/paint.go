package demo

import (
	"bytes"
	"fmt"
	"image"
	"image/color"
	"image/png"
	"math"

	"sakuji/app/pictures"
	"sakuji/app/pieces"
	"sakuji/core/finish"
	"sakuji/core/route"
	"sakuji/studio"
)

// What the studio calls its recipes.
const (
	postBlue   = "post-office blue"
	feather    = "heron feather"
	beakYellow = "beak yellow"
	eyeBlack   = "eye gloss"
	snailSkin  = "snail skin"
	shellMoss  = "shell moss"
	shellPlum  = "shell plum"
	shellBrass = "shell brass"
	shellSlate = "shell slate"
	oldBrass   = "old brass"
	bagWash    = "waxed brown wash"
	paperWhite = "kiosk paper white"
	capRed     = "cap red"
)

// written are the recipes of the spring, as they were written down.
var written = []studio.Recipe{
	{Name: postBlue, Colour: "#2f4f86", Paints: []studio.PaintPart{{Paint: "ultramarine acrylic", Parts: 3}, {Paint: "black acrylic", Parts: 1}}, Thinner: "water", ThinnerPercent: 25, Tool: finish.Airbrush, PressureBar: 1.4, Coats: 3, Over: "grey primer", OverColour: "#80807e"},
	{Name: feather, Colour: "#a9b0b8", Paints: []studio.PaintPart{{Paint: "matt white acrylic", Parts: 4}, {Paint: "blue grey acrylic", Parts: 1}}, Thinner: "water", ThinnerPercent: 15, Tool: finish.Brush, Coats: 2, Over: "grey primer", OverColour: "#80807e", Note: "Dry-brushed along the barbs; stop while the grey still shows between them."},
	{Name: beakYellow, Colour: "#d9a53a", Paints: []studio.PaintPart{{Paint: "ochre acrylic", Parts: 1}, {Paint: "warm yellow acrylic", Parts: 1}}, Tool: finish.Brush, Coats: 2, Over: "grey primer", OverColour: "#80807e"},
	{Name: eyeBlack, Colour: "#15161a", Paints: []studio.PaintPart{{Paint: "black acrylic, gloss", Parts: 1}}, Tool: finish.Brush, Coats: 2, Over: "grey primer", OverColour: "#80807e"},
	{Name: snailSkin, Colour: "#c9b08a", Paints: []studio.PaintPart{{Paint: "bone white acrylic", Parts: 5}, {Paint: "raw umber acrylic", Parts: 1}}, Thinner: "water", ThinnerPercent: 30, Tool: finish.Airbrush, PressureBar: 1.2, Coats: 2, Over: "grey primer", OverColour: "#80807e"},
	{Name: shellMoss, Colour: "#5d7a3a", Paints: []studio.PaintPart{{Paint: "olive acrylic", Parts: 2}, {Paint: "leaf green acrylic", Parts: 1}}, Tool: finish.Brush, Coats: 2, Over: snailSkin, OverColour: "#c9b08a"},
	{Name: shellPlum, Colour: "#6a3357", Paints: []studio.PaintPart{{Paint: "carmine acrylic", Parts: 2}, {Paint: "ultramarine acrylic", Parts: 1}}, Tool: finish.Brush, Coats: 3, Over: snailSkin, OverColour: "#c9b08a"},
	{Name: shellBrass, Colour: "#a98444", Paints: []studio.PaintPart{{Paint: "brass acrylic", Parts: 1}}, Tool: finish.Brush, Coats: 2, Over: snailSkin, OverColour: "#c9b08a", Note: "Needs no silver under it."},
	{Name: shellSlate, Colour: "#4c5560", Paints: []studio.PaintPart{{Paint: "blue grey acrylic", Parts: 2}, {Paint: "black acrylic", Parts: 1}}, Tool: finish.Brush, Coats: 2, Over: snailSkin, OverColour: "#c9b08a"},
	{Name: oldBrass, Colour: "#8a6a35", Paints: []studio.PaintPart{{Paint: "brass acrylic", Parts: 3}, {Paint: "raw umber acrylic", Parts: 1}}, Tool: finish.Airbrush, PressureBar: 1.5, Coats: 2, Over: "black primer", OverColour: "#1c1c1e"},
	{Name: bagWash, Colour: "#5a3d24", Medium: route.SandOrWash, Paints: []studio.PaintPart{{Paint: "brown wash", Parts: 1}},
		Tool: finish.Brush, Coats: 1, Over: "whatever is there", OverColour: "#c9b08a", Note: "Wipe back within ten minutes."},
	{Name: paperWhite, Colour: "#ece6d6", Paints: []studio.PaintPart{{Paint: "matt white acrylic", Parts: 8}, {Paint: "ochre acrylic", Parts: 1}}, Thinner: "water", ThinnerPercent: 20, Tool: finish.Airbrush, PressureBar: 1.3, Coats: 4, Over: "grey primer", OverColour: "#80807e"},
	{Name: capRed, Colour: "#a3352c", Paints: []studio.PaintPart{{Paint: "carmine acrylic", Parts: 1}, {Paint: "warm yellow acrylic", Parts: 1}}, Tool: finish.Brush, Coats: 3, Over: paperWhite, OverColour: "#ece6d6"},
}

// painted is a region of a plan, by the name of its recipe.
type painted struct {
	name, recipe, over string
	at                 route.StageKind
	share, edgeMM      float64
	coats              int
	only, care, stop   string
}

// schemes are the paint plans of the spring, by nickname of the order and title of the item.
var schemes = map[string]map[string][]painted{
	"old heron": {"Heron Postmaster, bust": heronScheme},
	"heron":     {"Heron Postmaster, bust": heronScheme},
	"snails": {"Snail courier": {
		{name: "skin", recipe: snailSkin, at: route.Base, share: 100},
		{name: "shell, moss", recipe: shellMoss, over: "skin", at: route.Light, share: 35, edgeMM: 90, only: "1-6"},
		{name: "shell, plum", recipe: shellPlum, over: "skin", at: route.Light, share: 35, edgeMM: 90, only: "7-12"},
		{name: "shell, brass", recipe: shellBrass, over: "skin", at: route.Light, share: 35, edgeMM: 90, only: "13-18"},
		{name: "shell, slate", recipe: shellSlate, over: "skin", at: route.Light, share: 35, edgeMM: 90, only: "19-24"},
		{name: "bag and straps", recipe: bagWash, over: "skin", at: route.Shade, share: 12, stop: "when the stitches stay light", care: studio.CareToned},
		{name: "eyes", recipe: eyeBlack, over: "skin", at: route.Detail, share: 1, care: studio.CareFocal},
	}},
	"orrery": {
		"Orrery moth": {{name: "wings and body", recipe: feather, at: route.Base, share: 100, coats: 2}, {name: "gaps of the veins", recipe: bagWash, over: "wings and body", at: route.Shade, share: 30}},
		"Orrery gear": {{name: "all of it", recipe: oldBrass, at: route.Base, share: 100}, {name: "gaps between the teeth", recipe: bagWash, over: "all of it", at: route.Shade, share: 40, stop: "darker in the gaps, bright on the rims"}},
	},
	"kiosks": {"Mushroom kiosk": {
		{name: "stem and counter", recipe: paperWhite, at: route.Base, share: 70},
		{name: "cap", recipe: capRed, over: "stem and counter", at: route.Light, share: 35, edgeMM: 420, care: studio.CareFocal},
		{name: "under the cap", recipe: bagWash, over: "stem and counter", at: route.Shade, share: 20, care: studio.CareToned},
	}},
}

var heronScheme = []painted{
	{name: "coat", recipe: postBlue, at: route.Base, share: 45, edgeMM: 610},
	{name: "feathers", recipe: feather, at: route.Light, share: 45, stop: "while the grey still shows between the barbs"},
	{name: "beak", recipe: beakYellow, at: route.Detail, share: 6, edgeMM: 120, care: studio.CareFocal},
	{name: "eyes", recipe: eyeBlack, at: route.Detail, share: 1, care: studio.CareFocal},
}

// writeDown writes the recipes down.
func (l *life) writeDown() error {
	l.recipes = map[string]studio.Recipe{}
	for _, r := range written {
		if r.Medium == "" {
			r.Medium = route.AcrylicPaint
		}
		made, err := l.App.Paint.SaveRecipe(l.ctx, l.ilse, r)
		if err != nil {
			return fmt.Errorf("%s: %w", r.Name, err)
		}
		l.recipes[r.Name] = made
	}
	return nil
}

// scheme plans how the items of an order are painted; signed: each colour is laid as a swatch, and signed off by somebody.
func (l *life) scheme(nick, by string) error {
	number := l.orders[nick]
	plan, err := l.App.Paint.Plan(l.ctx, number)
	if err != nil {
		return err
	}
	shown := map[string]bool{}
	for _, it := range plan.Items {
		ids := map[string]int64{}
		for _, p := range schemes[nick][it.Item.Title] {
			r := l.recipes[p.recipe]
			if err := l.App.Paint.SaveRegion(l.ctx, l.ilse, number, studio.Region{ItemID: it.Item.ID, Name: p.name, Stage: p.at, RecipeNumber: r.Number, OverID: ids[p.over], Coats: p.coats, SharePercent: p.share, EdgeMM: p.edgeMM, Only: p.only, Care: p.care, Stop: p.stop}, ""); err != nil {
				return fmt.Errorf("%s, %s: %w", nick, p.name, err)
			}
			after, err := l.App.Paint.Plan(l.ctx, number)
			if err != nil {
				return err
			}
			for _, o := range after.Items {
				if n := len(o.Regions); o.Item.ID == it.Item.ID && n > 0 {
					ids[p.name] = o.Regions[n-1].ID
				}
			}
			if by != "" && !shown[p.recipe] {
				shown[p.recipe] = true
				if err := l.signOff(r, plan.Order.ID, by); err != nil {
					return err
				}
			}
		}
	}
	return nil
}

// signOff lays a swatch, and has it signed off.
func (l *life) signOff(r studio.Recipe, orderID int64, by string) error {
	sha, err := l.App.Pictures.Keep(l.ctx, "the swatch", bytes.NewReader(dabbed(r)), pictures.AsSeen)
	if err != nil {
		return err
	}
	if err := l.App.Paint.AddSwatch(l.ctx, l.ilse, r.Number, studio.Swatch{OrderID: orderID, Coats: r.Coats, Colour: r.Colour, PhotoSHA: sha, Note: "dry, by daylight"}); err != nil {
		return err
	}
	sheet, err := l.App.Paint.Recipe(l.ctx, r.Number)
	if err != nil {
		return err
	}
	return l.App.Paint.JudgeSwatch(l.ctx, l.ilse, sheet.Swatches[0].ID, studio.VerdictYes, by, "")
}

// dabbed is a photograph of a swatch: strokes of a colour on its ground.
func dabbed(r studio.Recipe) []byte {
	over, _ := finish.ParseColour(r.OverColour)
	own, _ := finish.ParseColour(r.Colour)
	return pictureOf(180, 140, func(x, y float64) color.RGBA {
		edge := 16 + 5*math.Sin(x/13)
		c, shade := own, 0.93+0.07*math.Sin(x/9+2*math.Sin(y/17))
		if y < edge || y > 140-edge || x < 16+4*math.Sin(y/7) || x > 164+4*math.Sin(y/5) {
			c, shade = over, 0.97+0.03*math.Sin(x*y/80)
		}
		return color.RGBA{uint8(float64(c.R) * shade), uint8(float64(c.G) * shade), uint8(float64(c.B) * shade), 255}
	})
}

// pictureOf is a picture, point by point.
func pictureOf(w, h int, at func(x, y float64) color.RGBA) []byte {
	img := image.NewRGBA(image.Rect(0, 0, w, h))
	for y := range h {
		for x := range w {
			img.Set(x, y, at(float64(x), float64(y)))
		}
	}
	var b bytes.Buffer
	if err := png.Encode(&b, img); err != nil {
		panic(err) // an image in memory always encodes
	}
	return b.Bytes()
}

// asSeen is a photograph of a model on the bench, in the colour that it has by then.
func (l *life) asSeen(sha string, colour finish.Colour) ([]byte, error) {
	still, err := l.App.Models.Still(l.ctx, sha)
	if err != nil {
		return nil, err
	}
	drawn, err := png.Decode(bytes.NewReader(still))
	if err != nil {
		return nil, err
	}
	const clay = 216.0 // the brightest of the drawing
	w, h := drawn.Bounds().Dx(), drawn.Bounds().Dy()
	return pictureOf(w, h, func(x, y float64) color.RGBA {
		r, g, b, a := drawn.At(int(x), int(y)).RGBA()
		table := 96 + 40*y/float64(h) + 3*math.Sin(x/11+y/37)
		if a < 0x8000 {
			return color.RGBA{uint8(table), uint8(table - 4), uint8(table - 12), 255}
		}
		light := math.Min(1, (float64(r>>8)+float64(g>>8)+float64(b>>8))/3/clay)
		return color.RGBA{uint8(float64(colour.R) * light), uint8(float64(colour.G) * light), uint8(float64(colour.B) * light), 255}
	}), nil
}

// photographed takes the photographs that hands took when pieces came off the plate, were primed and got their base
// coats.
func (l *life) photographed(codes ...string) error {
	resin, primed := finish.Colour{R: 150, G: 152, B: 156}, finish.Colour{R: 190, G: 190, B: 188}
	for _, code := range codes {
		p, err := l.App.Pieces.Piece(l.ctx, code)
		if err != nil {
			return err
		}
		base := primed
		if len(p.Laid) > 0 {
			base, _ = finish.ParseColour(p.Laid[0].Colour)
		}
		for _, s := range p.Stages {
			seen, ok := map[route.StageKind]finish.Colour{route.Print: resin, route.Prime: primed, route.Base: base}[s.Kind]
			if !ok || s.Mark != route.Done {
				continue
			}
			picture, err := l.asSeen(p.Model.SHA, seen)
			if err != nil {
				return err
			}
			sha, err := l.App.Pictures.Keep(l.ctx, "the picture", bytes.NewReader(picture), pictures.AsSeen)
			if err != nil {
				return err
			}
			if err := l.App.Pieces.Photograph(l.ctx, l.jory, code, []pieces.KeptPhoto{{SHA: sha}}, "", s.Done); err != nil {
				return err
			}
		}
	}
	return nil
}
